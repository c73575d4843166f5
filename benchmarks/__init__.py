"""Speed as ratios against a reference in the same run. ``python -m benchmarks`` rewrites docs/benchmarks.md."""

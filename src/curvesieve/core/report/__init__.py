"""Reports of tests: a page for the set and one for each specimen, as HTML or PDF."""

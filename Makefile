.PHONY: demo run test check lint bench coverage mutants sweep endure fuzz charts screenshots bootstrap bootstrap-dev lock
PY := .venv/bin/python

demo: bootstrap        ## start the application with the demo study
	scripts/with-display.sh $(PY) -m curvesieve demo

run: bootstrap         ## start the application with an empty study
	scripts/with-display.sh $(PY) -m curvesieve

test: check            ## the one check: lint, types, layers, tests
	scripts/tests.sh $(PY)

check: bootstrap-dev   ## the quick part of it: lint, types, layers
	$(PY) -m ruff check src tests benchmarks scripts
	$(PY) -m mypy
	.venv/bin/lint-imports --no-cache

bench: bootstrap-dev   ## speed as ratios against references in the same run; rewrites docs/benchmarks.md
	scripts/with-display.sh --virtual $(PY) -m benchmarks

coverage: bootstrap-dev ## do 95 % intervals hold the truth? 36,000 simulated fits; rewrites docs/coverage.md
	$(PY) -m benchmarks.coverage

sweep: bootstrap-dev   ## every control of every card, term and page in real windows
	SWEEP=whole scripts/with-display.sh --virtual $(PY) -m pytest tests/app/test_sweeps.py tests/app/test_field_tour.py

monte-carlo: bootstrap-dev ## is the u of every measure that of 2,000 draws, for four kinds of noise?
	RUNS=2000 QT_QPA_PLATFORM=offscreen $(PY) -m pytest tests/core/test_measures.py -q -k monte_carlo

endure: bootstrap-dev  ## a working window, killed at 50 random moments: is anything lost?
	scripts/with-display.sh --virtual $(PY) -m tests.app.endure check 50

mutants: bootstrap-dev ## plant 100 faults in core, one at a time: do the tests find them? rewrites docs/mutants.md
	QT_QPA_PLATFORM=offscreen $(PY) -m benchmarks.mutants

fuzz: bootstrap-dev    ## read 20,000 mutated files: no crash, no hang
	$(PY) -m benchmarks.fuzz 20000

charts: bootstrap-dev  ## trace 200 charts with known truth: what share is found, and how near?
	$(PY) -m tests.core.trace_checks 0 50

screenshots: bootstrap ## drive the real application and write docs/screenshots/
	scripts/with-display.sh --virtual $(PY) scripts/screenshots.py docs/screenshots

lock: bootstrap-dev    ## resolve pyproject.toml afresh (needs uv)
	scripts/lock.sh

bootstrap:
	@scripts/bootstrap.sh run
bootstrap-dev:
	@scripts/bootstrap.sh dev

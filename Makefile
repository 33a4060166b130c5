# Everything sets itself up: a virtual environment in this folder, with the package and what it needs.
PYTHON ?= python3
BIN = .venv/bin

.PHONY: demo test lint docs bench bench-more fuzz clean

.venv/ready: pyproject.toml setup.py $(wildcard src/olive_crate/kernels/native/*)
	$(PYTHON) -c 'import sys; sys.exit("Python 3.11 or newer is needed") if sys.version_info < (3, 11) else 0'
	$(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[dev]'
	$(BIN)/python -m compileall -q src  # so that the command starts fast from the first time on
	touch $@

demo: .venv/ready
	rm -rf demo
	$(BIN)/olive-crate demo demo

# One worker more than there are processors, as some tests wait for other processes.
WORKERS ?= $(shell $(PYTHON) -c 'import os; print((os.cpu_count() or 1) + 1)')

# All tests with the kernels that were built, and those of reading with the reference kernels too.
READING = memory records values cells_as_people_write_them fixed missing balance workbooks detection fuzz packed
test: .venv/ready
	$(BIN)/python -m pytest -n $(WORKERS)
	OLIVE_CRATE_KERNELS=reference $(BIN)/python -m pytest -n $(WORKERS) $(READING:%=tests/test_%.py)

lint: .venv/ready
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports --no-cache

# The site, in site/: pages in the order of the work, the reference from the docstrings.
.venv/docs: .venv/ready
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[docs]'
	touch $@

docs: .venv/docs
	NO_MKDOCS_2_WARNING=1 $(BIN)/mkdocs build --quiet --strict

# The tables of speed, written to benchmarks/RESULTS.md and SHAPES.md.
bench: .venv/ready
	$(BIN)/python benchmarks/speed.py --write
	$(BIN)/python benchmarks/shapes.py --rounds 9 --write

# How right detection and checks are, what checks cost, and sets of files (needs 8 GB for a while).
bench-more: .venv/ready
	$(BIN)/python benchmarks/detection.py
	$(BIN)/python benchmarks/breaks.py
	$(BIN)/python benchmarks/old_workbook.py
	$(BIN)/python benchmarks/checks.py
	$(BIN)/python benchmarks/findings.py
	$(BIN)/python benchmarks/sets.py
	$(BIN)/python benchmarks/large_set.py
	$(BIN)/python benchmarks/register.py

# Damaged inputs of every kind, and the properties with new seeds.
SECONDS ?= 60
fuzz: .venv/ready
	$(BIN)/python fuzz/run.py --seconds $(SECONDS) --seed $(shell date +%s)
	$(BIN)/python fuzz/kernels.py --inputs $$((1000 * $(SECONDS))) --seed $(shell date +%s)
	NEW_SEEDS=1 $(BIN)/python -m pytest -q -n auto -k "alike or changed or damaged or any_bytes or balance" tests

clean:
	rm -rf .venv demo build site
	rm -f src/olive_crate/kernels/compiled/_native*.so

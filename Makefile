# Everything sets itself up: a virtual environment in this folder, with the package and what it needs.
PYTHON ?= python3
BIN = .venv/bin

.PHONY: demo test lint bench clean

.venv/ready: pyproject.toml
	$(PYTHON) -c 'import sys; sys.exit("Python 3.11 or newer is needed") if sys.version_info < (3, 11) else 0'
	$(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[dev]'
	$(BIN)/python -m compileall -q src  # so that the command starts fast from the first time on
	touch $@

demo: .venv/ready
	rm -rf demo
	$(BIN)/olive-crate demo demo

test: .venv/ready
	$(BIN)/python -m pytest -n auto

lint: .venv/ready
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

bench: .venv/ready
	$(BIN)/python benchmarks/delimited.py
	$(BIN)/python benchmarks/detection.py
	$(BIN)/python benchmarks/fixed.py
	$(BIN)/python benchmarks/breaks.py
	$(BIN)/python benchmarks/workbook.py
	$(BIN)/python benchmarks/checks.py
	$(BIN)/python benchmarks/findings.py

clean:
	rm -rf .venv demo

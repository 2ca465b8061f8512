# Everything a newcomer needs has a name here. `make demo` and `make test` set up what they need.
PYTHON ?= python3
VENV   ?= .venv
BIN    := $(VENV)/bin

.PHONY: demo test lint bench corpus fuzz shots clean

$(VENV)/.installed: pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[dev]'
	touch $@

demo: $(VENV)/.installed
	$(BIN)/dreck demo

test: $(VENV)/.installed
	$(BIN)/python -m pytest -n 2 --dist worksteal

lint: $(VENV)/.installed
	$(BIN)/ruff check src tests examples benchmarks
	$(BIN)/mypy
	@find src/dreck/proof -name '*.py' | xargs cat | grep -cvE '^\s*(#|$$)' | sed 's/$$/ lines in proof, which has to be right for a `proved` to be right/'

bench: $(VENV)/.installed
	$(BIN)/python -m benchmarks

corpus: $(VENV)/.installed
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[dev,cluster]'
	$(BIN)/python -m benchmarks.corpus

fuzz: $(VENV)/.installed
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[dev,native]'
	$(BIN)/python -m pytest tests/trial/test_native.py tests/trial/test_walls.py tests/trial/test_cage.py
	$(BIN)/python -m benchmarks.fuzz

shots: $(VENV)/.installed
	$(BIN)/python docs/shots.py

clean:
	rm -rf $(VENV) .pytest_cache .mypy_cache .ruff_cache build dist

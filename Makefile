# Everything a newcomer needs has a name here. `make demo` and `make test` set up what they need.
PYTHON ?= python3
VENV   ?= .venv
BIN    := $(VENV)/bin

NEWEST := $(VENV)/newest

.PHONY: demo test test-newer newest lint bench corpus fuzz shots docs clean

$(VENV)/.installed: pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[dev]'
	touch $@

demo: $(VENV)/.installed
	$(BIN)/dreck demo

test: $(VENV)/.installed
	$(BIN)/python -m pytest -n 2 --dist worksteal

# The newest Python, compiled to WebAssembly: it runs under Node.
newest: $(NEWEST)/.installed

$(NEWEST)/.installed: $(VENV)/.installed
	npm install --silent --no-audit --no-fund --fetch-timeout=60000 --fetch-retries=1 --prefix $(NEWEST) pyodide@314.0.7
	touch $@

test-newer: $(NEWEST)/.installed
	node tests/newer/run.mjs "$$($(BIN)/python -c 'import sysconfig; print(sysconfig.get_paths()["purelib"])')" $(NEWEST)

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
	DRECK_LIES=1 DRECK_SAID=1 $(BIN)/python -m pytest -q tests/proof/test_liars.py tests/proof/test_said.py

shots: $(VENV)/.installed
	$(BIN)/python docs/shots.py

docs: $(VENV)/.installed
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[docs]'
	$(BIN)/python -m sphinx --quiet --fail-on-warning --keep-going --builder html docs build/docs
	@echo build/docs/index.html

clean:
	rm -rf $(VENV) .pytest_cache .mypy_cache .ruff_cache build dist

# Everything runs in a virtual environment of its own, which `make` sets up when it is needed.

PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

# Where nothing may be kept, every process that a test begins would compile every module anew: the
# smallest `zubrel check` takes 0.6 to 0.9 s so, and 0.3 s otherwise.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo test test-all lint fuzz fuzz-input coverage bench screenshots clean

demo: $(READY)
	$(BIN)/zubrel demo zubrel-demo --force

test: $(READY)
	$(BIN)/python -m tests

# Everything that takes its time: more random worlds, broken files, branch coverage above 90 %.
test-all: fuzz fuzz-input coverage
	ZUBREL_LONG=1 $(BIN)/python -m tests
	ZUBREL_CONDITIONS=1 $(BIN)/python -m tests tests.test_conditions
	ZUBREL_SEEDS=40 $(BIN)/python -m tests tests.test_claims
	ZUBREL_EDITS=1000 ZUBREL_PREFIXES=5000 $(BIN)/python -m tests tests.test_language_server
	ZUBREL_SEEDS=300 $(BIN)/python -m tests tests.test_edited

lint: $(READY)
	$(BIN)/ruff check src tests benchmarks docs setup.py
	$(BIN)/ruff format --check src tests benchmarks docs setup.py
	$(BIN)/mypy

# Which branches the tests take, those of the built program included.
coverage: $(READY)
	$(BIN)/coverage erase
	$(BIN)/coverage run -m tests
	$(BIN)/coverage combine --quiet
	$(BIN)/coverage report

# As many random worlds against the slow reference as you have patience for.
fuzz: $(READY)
	ZUBREL_SEEDS=$${SEEDS:-3000} ZUBREL_FIRST_SEED=$${FIRST:-100000} \
		$(BIN)/python -m tests tests.test_against_reference tests.test_reductions

# Thousands of broken worlds, tables and scripts, with every command.
fuzz-input: $(READY)
	ZUBREL_BROKEN=$${COUNT:-5000} ZUBREL_FIRST_BROKEN=$${FIRST:-100000} \
		$(BIN)/python -m tests tests.test_broken_input

bench: $(READY)
	$(BIN)/python -m benchmarks
	$(BIN)/python -m benchmarks.full

# Needs xvfb, xterm, imagemagick, chromium, neovim and the DejaVu fonts.
screenshots: $(READY)
	$(BIN)/python docs/screenshots/take.py

# A module is compiled when it is first needed: most of what is installed never is, and to compile
# all of it takes longer than to fetch it.
$(READY): pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --disable-pip-version-check --no-compile -e '.[dev]'
	touch $(READY)

clean:
	rm -rf $(VENV) zubrel-demo build

# make demo: everything, then the server on loopback with the demo data.
# make test: everything, then every check. Running either again takes seconds.
PY ?= python3
VENV := .venv
BIN := $(VENV)/bin
DATA ?= .data
PORT ?= 8470

.PHONY: setup setup-test demo test check fuzz bench bench-statistics lock vendor clean

setup: $(VENV)/.installed
setup-test: $(VENV)/.installed-test

# Set-up says what it does and how far it is; each step is done once.
$(VENV)/.uv:
	@echo "1 of 4: a Python environment in $(VENV), and its installer"
	@$(PY) -m venv $(VENV)
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements-uv.txt
	@touch $@

KERNEL := $(wildcard src/yellowfen/core/heat/kernel*.py $(wildcard src/yellowfen/core/heat/*_kernel.py) $(wildcard src/yellowfen/core/board/*_kernel.py) src/yellowfen/core/work/order_kernel.py src/yellowfen/core/look/picture_kernel.py)

$(VENV)/.installed: $(VENV)/.uv requirements.txt pyproject.toml $(KERNEL)
	@find src -name '*.nb[ic]' -delete
	@echo "2 of 4: the libraries"
	@$(BIN)/uv pip install --quiet --python $(BIN)/python --compile-bytecode --require-hashes -r requirements.txt
	@$(BIN)/uv pip install --quiet --python $(BIN)/python --no-deps --no-build-isolation -e .
	@echo "3 of 4: the heat model is compiled for this machine (about a minute)"
	@$(BIN)/python -m compileall -q src/yellowfen
	@$(BIN)/python -m yellowfen.compile_loops
	@touch $@

# The second reader of board files comes without its own dependencies, which hold a web framework.
$(VENV)/.installed-test: $(VENV)/.installed requirements-test.txt requirements-oracle.txt
	$(BIN)/uv pip install --quiet --python $(BIN)/python --compile-bytecode --require-hashes -r requirements-test.txt
	$(BIN)/uv pip install --quiet --python $(BIN)/python --compile-bytecode --no-deps --require-hashes -r requirements-oracle.txt
	$(BIN)/python -m yellowfen.compile_loops --all
	touch $@

demo: setup
	@echo "4 of 4: the demo data"
	@$(BIN)/yellowfen demo --data $(DATA)
	@$(BIN)/yellowfen serve --data $(DATA) --port $(PORT)

test: setup-test
	sh tests/browser/install_chromium.sh
	$(BIN)/ruff check src tests benchmarks scripts
	$(BIN)/ruff format --check --quiet src tests benchmarks scripts
	sh tests/at_once.sh $(BIN)

# Static checks and the quick tests, for use while working; `make test` is the whole of it.
QUICK := tests/formats tests/test_names.py $(addprefix tests/core/test_,bench_run.py join.py parts.py stencil.py spans.py sketch.py triage.py hand_plan.py by_hand.py better.py floating.py drag.py ready.py sources.py)
check: setup-test
	$(BIN)/ruff check src tests benchmarks scripts
	$(BIN)/ruff format --check --quiet src tests benchmarks scripts
	sh tests/quick.sh $(BIN) $(QUICK)

$(VENV)/.installed-bench: $(VENV)/.installed-test requirements-bench.txt
	$(BIN)/uv pip install --quiet --python $(BIN)/python --require-hashes -r requirements-bench.txt
	touch $@

bench: $(VENV)/.installed-bench
	sh tests/browser/install_chromium.sh
	$(BIN)/python -m benchmarks

bench-statistics: setup-test
	$(BIN)/python -m benchmarks statistics

lock:
	$(BIN)/uv pip compile --quiet --generate-hashes --no-emit-index-url --no-header -o requirements.txt requirements.in
	$(BIN)/uv pip compile --quiet --generate-hashes --no-emit-index-url --no-header --extra test -c requirements.txt -o requirements-test.txt requirements.in pyproject.toml
	$(BIN)/uv pip compile --quiet --generate-hashes --no-emit-index-url --no-header --extra bench -c requirements-test.txt -o requirements-bench.txt pyproject.toml

vendor:
	$(PY) scripts/vendor.py

fuzz: setup-test
	$(BIN)/python -m tests.fuzz
	$(BIN)/python -m tests.hostile
	$(BIN)/python -m tests.soak

clean:
	rm -rf $(VENV) .data build src/*.egg-info

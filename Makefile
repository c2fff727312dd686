# Able Brick: `make demo` serves the demo level, `make test` runs everything.
SHELL := /bin/bash
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
STAMP := .setup
DEMO_DB := .data/merrow-lock.db
export PIP_DISABLE_PIP_VERSION_CHECK := 1

.PHONY: setup demo demo-reset test test-long test-web check bench bench-slim lint lint-python lint-web openapi lock clean

# Python's half and the web's are set up beside each other.
setup:
	@$(MAKE) --no-print-directory -j 2 $(STAMP)/kernels $(STAMP)/web
	@$(BIN)/python -m compileall -q able_brick

# Every stamp is touched last: a set-up that was interrupted begins its unfinished part again.
$(STAMP)/python: requirements.lock pyproject.toml
	@mkdir -p $(STAMP)
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11) and "Python 3.11 or newer is needed.")'
	@test -x $(BIN)/pip && $(BIN)/pip --version >/dev/null 2>&1 || $(PYTHON) -m venv --clear $(VENV)
	$(BIN)/pip install --quiet -r requirements.lock
	$(BIN)/pip install --quiet --no-deps --no-build-isolation -e .
	@touch $@

$(STAMP)/node: web/package-lock.json
	@mkdir -p $(STAMP)
	@command -v npm >/dev/null || { echo "Node.js 20 or newer with npm is needed."; exit 1; }
	cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

$(STAMP)/web: $(STAMP)/node $(shell find web/src web/public -type f) web/index.html web/vite.config.ts web/tsconfig.json
	cd web && npm run --silent build -- --logLevel warn
	@touch $@

$(STAMP)/kernels: $(STAMP)/python $(shell grep -rl core.kernel able_brick --include=*.py) able_brick/core/kernel.py able_brick/warm.py
	@# a kept kernel does not notice that one it calls has changed
	@find able_brick -name '*.nb[ic]' -delete
	$(BIN)/able-brick warm
	@touch $@

demo: setup
	$(BIN)/able-brick serve --demo --db $(DEMO_DB)

demo-reset:
	rm -f $(DEMO_DB) $(DEMO_DB)-wal $(DEMO_DB)-shm
	$(MAKE) demo

test:
	@$(MAKE) --no-print-directory -j 2 $(STAMP)/kernels $(STAMP)/web $(STAMP)/dev
	@$(MAKE) --no-print-directory setup
	@$(MAKE) --no-print-directory -j 2 lint-python lint-web test-web
	@$(PYTHON) tests/need_chromium.py
	$(BIN)/python -m pytest -n 2 --ignore tests/ui
	@# a browser test that fails is run once more, and told as unsteady when it passes then
	$(BIN)/python -m pytest -n 2 --dist worksteal --reruns 1 -raR tests/ui

# The long forms: kills, switching, flipped bits, full disks, four clients at once for twenty minutes, random targets of
# slimming, and chains of operations on meshes.
test-long: setup $(STAMP)/dev
	ABLE_BRICK_THOROUGH=1 $(BIN)/python -m pytest -n 2 --ignore tests/ui
	ABLE_BRICK_THOROUGH=1 $(BIN)/python -m pytest -n 2 --dist worksteal tests/ui
	$(BIN)/python -m tests.session.kills --kills 300
	$(BIN)/python -m tests.session.switching --runs 30
	$(BIN)/python -m tests.session.damage --flips 500
	$(BIN)/python -m tests.session.full
	$(BIN)/python -m tests.session.soak --minutes 20
	$(BIN)/python -m tests.core.targets --runs 1000 --points 200000
	$(BIN)/python -m tests.steps.shape.chains --runs 200 --steps 30
	$(BIN)/python -m tests.steps.shape.chains --runs 200 --steps 30 --from-file

# For the daily loop: linters, types, and the tests that are quick.
check: lint test-web
	$(BIN)/python -m pytest -n 2 -q tests/core tests/steps tests/test_complete.py

$(STAMP)/dev: requirements-dev.lock $(STAMP)/python
	$(BIN)/pip install --quiet -r requirements-dev.lock
	@touch $@

lint: setup
	@$(MAKE) --no-print-directory -j 2 lint-python lint-web

lint-python: $(STAMP)/dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

lint-web: $(STAMP)/dev $(STAMP)/node
	cd web && npx biome check .
	cd web && npx tsc --noEmit
	$(BIN)/python tests/fresh_types.py

test-web: $(STAMP)/node
	cd web && npm run --silent test

# Reduction beside two libraries, mesh by mesh.
bench-slim: setup $(STAMP)/dev $(STAMP)/node
	$(BIN)/python -m tests.bench.slim_table
	$(BIN)/python -m tests.bench.batches

bench: setup $(STAMP)/dev
	$(BIN)/python -m tests.bench.slim_table heron
	$(BIN)/python -m tests.bench.steps
	$(BIN)/python -m tests.bench.laying
	$(BIN)/python -m tests.bench.shape
	$(BIN)/python -m tests.bench.join
	$(BIN)/python -m tests.bench.growth
	$(BIN)/python -m tests.bench.imports
	@$(PYTHON) tests/need_chromium.py
	$(BIN)/python -m tests.bench.opening

# The API's description and the types made from it, kept in the repository and checked by `lint`.
openapi: setup
	$(BIN)/able-brick openapi > docs/openapi.json
	cd web && npm run --silent generate

# What is installed in a fresh environment, pinned; run it to move to newer versions.
lock:
	rm -rf $(VENV)-lock && $(PYTHON) -m venv $(VENV)-lock
	$(VENV)-lock/bin/pip install --quiet -r requirements.in
	$(VENV)-lock/bin/pip freeze --all --exclude pip > requirements.lock
	$(VENV)-lock/bin/pip install --quiet -r requirements-dev.in
	(echo "-c requirements.lock"; $(VENV)-lock/bin/pip freeze --all --exclude pip | grep -vxFf requirements.lock) > requirements-dev.lock
	rm -rf $(VENV)-lock

clean:
	rm -rf $(VENV) $(STAMP) web/node_modules able_brick/web_dist .data

# Everything a developer or a machine needs: demo, test, lint, bench, build. All can be repeated.
PYTHON ?= python3
VENV := .venv
# What was imported once is quicker the next time, whatever the machine is set to.
export PYTHONDONTWRITEBYTECODE :=
BIN := $(VENV)/bin
LOCK := --universal --python-version 3.11 --generate-hashes --no-header --no-annotate --no-emit-index-url -q
WEB := src/datebridge/web/index.html
SOURCES := $(shell find frontend/src frontend/static -type f) frontend/package.json frontend/svelte.config.js frontend/vite.config.ts frontend/vite.reader.config.ts
# Any Chromium there is, under whichever name it stands on the path.
BROWSERS := chromium chromium-browser chrome
CHROMIUM ?= $(firstword $(foreach name,$(BROWSERS),$(shell command -v $(name))))
# Tests that take long: see "markers" in pyproject.toml.
LONG := browser or starts or kills or both_sides
# The files in which such tests are, so that nothing else is read for them.
LONG_FILES = $(shell grep -rlE "mark\.(browser|starts|kills|both_sides)" --include="*.py" tests | sort -r)
PYTEST = CHROMIUM="$(CHROMIUM)" $(BIN)/pytest --dist worksteal
# One more at a time than there are cores, since tests of two ends that talk wait for each other.
WORKERS := $(shell expr $$(nproc 2> /dev/null || echo 2) + 1)

.PHONY: demo test check coverage lint lint-python lint-pages setup bench pictures build wheel client format setup-dev chromium lock clean

demo: .stamps/python $(WEB)
	@$(BIN)/date-bridge demo --data .demo

# Everything: what `make check` does, and if that holds, the rest.
test: check chromium
	@echo "== tests: browsers, kills, both sides"
	@$(PYTEST) -n $(WORKERS) -m "$(LONG)" --timing=.stamps/timing/long.json $(LONG_FILES)
	@$(BIN)/python -m tests.timing .stamps/timing/check.json .stamps/timing/long.json

# While working: linters, types, and all tests but those that take long.
check: lint
	@echo "== tests: all but browsers, kills, both sides"
	@mkdir -p .stamps/timing
	@$(PYTEST) -n $(WORKERS) -m "not ($(LONG))" --timing=.stamps/timing/check.json
	@cd frontend && npm run -s test

# What the tests reach of the source, all of them run once more.
coverage: setup chromium
	@$(PYTEST) -n $(WORKERS) --cov=datebridge --cov-report=term:skip-covered

lint: setup
	@$(MAKE) -s -j2 -O lint-python lint-pages

lint-python: .stamps/python-dev
	@echo "== ruff, mypy, import-linter"
	@$(BIN)/ruff check .
	@$(BIN)/ruff format --check -q .
	@$(BIN)/mypy
	@$(BIN)/lint-imports --no-cache > .stamps/imports.log || (cat .stamps/imports.log; exit 1)

lint-pages: .stamps/node
	@echo "== prettier, eslint, svelte-check"
	@cd frontend && npm run -s lint && npm run -s check

# Python and the front end's packages side by side.
setup:
	@$(MAKE) -s -j2 .stamps/suite $(WEB)

bench: .stamps/python-dev $(WEB)
	@CHROMIUM="$(CHROMIUM)" $(BIN)/python -m bench $(BENCH)

# Every picture of docs/screenshots anew, from the sample data. Look at them afterwards.
pictures: .stamps/python-dev chromium $(WEB)
	@CHROMIUM="$(CHROMIUM)" $(BIN)/python -m bench.pictures

build: $(WEB)

wheel: .stamps/python-dev $(WEB)
	@$(BIN)/python -m build --no-isolation --outdir dist

# The typed client follows the server's own schema.
client: .stamps/python-dev .stamps/node
	@$(BIN)/python -m datebridge.api.schema frontend/openapi.json
	@cd frontend && npm run -s client

format: .stamps/python-dev .stamps/node
	@$(BIN)/ruff check --fix -q . && $(BIN)/ruff format -q . && cd frontend && npm run -s format

setup-dev: .stamps/python-dev .stamps/node
	@$(BIN)/pre-commit install

$(WEB): .stamps/node $(SOURCES)
	@echo "== building the pages"
	@cd frontend && npm run -s build > ../.stamps/build.log 2>&1 || (cat ../.stamps/build.log; exit 1)
	@touch $(WEB)

.stamps/python: requirements.lock requirements-build.lock pyproject.toml
	@mkdir -p .stamps
	@echo "== setting up Python (a minute or so)"
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	@$(BIN)/python -m pip install -qq --disable-pip-version-check --require-hashes -r requirements.lock -r requirements-build.lock
	@$(BIN)/python -m pip install -qq --disable-pip-version-check --no-deps --no-build-isolation -e .
	@touch $@

.stamps/python-dev: .stamps/python requirements-dev.lock
	@echo "== setting up the checks"
	@$(BIN)/python -m pip install -qq --disable-pip-version-check --require-hashes -r requirements-dev.lock
	@touch $@

# The tests of an independent client library, which come with its sources: they are run against the stand-ins.
.stamps/suite: requirements-dev.lock .stamps/python-dev
	@echo "== fetching the client library's tests"
	@rm -rf $@ .stamps/caldav-*.tar.gz && mkdir -p $@
	@grep -A 2 '^caldav==' requirements-dev.lock > .stamps/suite.txt
	@$(BIN)/python -m pip download -qq --disable-pip-version-check --no-deps --no-binary caldav --require-hashes \
	  -r .stamps/suite.txt -d .stamps
	@tar -xzf .stamps/caldav-*.tar.gz -C $@ --strip-components 1
	@touch $@

.stamps/node: frontend/package-lock.json
	@mkdir -p .stamps
	@echo "== setting up the front end's packages (a minute or so)"
	@cd frontend && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

# Where there is no Chromium, try to install it; where that fails, say how.
chromium: .stamps/python-dev
	@if [ -z "$(CHROMIUM)" ]; then \
	  echo "== installing Chromium"; \
	  (apt-get update -qq && (apt-get install -y -qq chromium chromium-headless-shell || apt-get install -y -qq chromium)) \
	    > .stamps/chromium.log 2>&1 || true; \
	  if ! command -v chromium > /dev/null; then \
	    echo "Chromium is missing and could not be installed. Install it with:  sudo apt-get install chromium"; exit 1; \
	  fi; \
	fi

# Pins what pyproject.toml asks for, with hashes and without addresses: to run it, to install it from here, to work on it.
lock:
	@uv pip compile pyproject.toml $(LOCK) -o requirements.lock
	@uv pip compile --group build $(LOCK) -o requirements-build.lock
	@uv pip compile pyproject.toml --group dev $(LOCK) -o requirements-dev.lock

clean:
	rm -rf .stamps .venv frontend/node_modules frontend/.svelte-kit src/datebridge/web dist .demo

# make demo   set up everything and open the demo        make check  types, style, import rules, API types
# make test   set up everything and run all tests        make bench  measure against other libraries
# make wheel  a wheel that holds the built front end   make soak  the long run: kills, thousands of strokes, requests and broken files

SHELL := /bin/bash
PYTHON ?= python3
BIN := .venv/bin
STAMPS := .stamps
DATA ?= data
PORT ?= 8120
FRONT := $(shell find frontend/src frontend/public frontend/index.html frontend/*.ts frontend/*.json -type f -not -path '*/node_modules/*' 2>/dev/null)
KERNELS := $(shell find src/ruvelt/core -name '_*_kernels.py') src/ruvelt/core/kernels.py src/ruvelt/core/samples/grid.py src/ruvelt/core/mesh/rays.py

.PHONY: setup demo test soak check bench wheel types clean
setup: $(STAMPS)/python $(STAMPS)/front $(STAMPS)/kernels

$(STAMPS)/python: pyproject.toml constraints.txt
	@mkdir -p $(STAMPS)
	@test -x $(BIN)/python || $(PYTHON) -m venv .venv
	@echo "Setting up Python…"
	@$(BIN)/pip install -q --disable-pip-version-check -c constraints.txt -e '.[dev]' 2> >(grep -v 'is ignored: it is neither' >&2)
	@touch $@

$(STAMPS)/node: frontend/package-lock.json
	@mkdir -p $(STAMPS)
	@echo "Setting up the front end…"
	@cd frontend && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

$(STAMPS)/front: $(STAMPS)/node $(FRONT)
	@echo "Building the front end…"
	@cd frontend && npm run --silent build --loglevel=error
	@touch $@

$(STAMPS)/kernels: $(STAMPS)/python $(KERNELS)
	@echo "Compiling kernels…"
	@$(BIN)/python -m ruvelt.core.warming
	@touch $@

$(STAMPS)/first: $(STAMPS)/python $(KERNELS)
	@echo "Compiling what the first picture and stroke need…"
	@$(BIN)/python -m ruvelt.core.warming --first
	@touch $@

$(STAMPS)/chromium:
	@mkdir -p $(STAMPS)
	@bash tools/get_chromium.sh
	@touch $@

# What a first picture and stroke need; the other kernels and demo projects are made behind the open window.
demo:
	@$(MAKE) --no-print-directory -s -j2 $(STAMPS)/front $(STAMPS)/first
	@$(BIN)/ruvelt demo --first --data $(DATA)
	@$(BIN)/ruvelt serve --demo --data $(DATA) --port $(PORT)

test: setup $(STAMPS)/chromium
	@cd frontend && npm run --silent test -- --reporter=dot
	@$(BIN)/python -m pytest -n 2 --dist worksteal

# The everyday tests of what is hostile with larger numbers, and the slow ones.
soak: setup
	@RUVELT_KILLS=200 RUVELT_SCHEMA_EXAMPLES=110 RUVELT_FUZZ_MESHES=5000 RUVELT_FUZZ_FILES=4800 $(BIN)/python -m pytest -n 2 --dist worksteal -m "" --timeout 1500 -rP \
		tests/soak tests/studio/test_memory.py tests/store/test_kill.py tests/web/test_described.py tests/core/test_hostile_geometry.py \
		tests/core/test_readers_hostile.py

check: setup
	@$(BIN)/ruff check src tests tools
	@$(BIN)/mypy
	@$(BIN)/lint-imports
	@$(BIN)/ruvelt openapi | cmp -s - frontend/openapi.json || { echo "frontend/openapi.json is out of date: run 'make types'"; exit 1; }
	@cd frontend && npx --no -- openapi-typescript openapi.json -o ../.stamps/schema.gen.ts > /dev/null 2>&1 && cmp -s ../.stamps/schema.gen.ts src/api/schema.gen.ts || { echo "src/api/schema.gen.ts is out of date: run 'make types'"; exit 1; }
	@$(BIN)/python tools/script_schema.py --check
	@$(BIN)/python tools/curve_vectors.py --check
	@$(BIN)/python tools/shared_cases.py --check
	@cd frontend && npx --no -- tsc --noEmit && npx --no -- eslint src && npx --no -- prettier --log-level warn --check "src/**/*.{ts,tsx,css}" "*.{ts,js}"

types: $(STAMPS)/python $(STAMPS)/node
	@$(BIN)/ruvelt openapi > frontend/openapi.json
	@cd frontend && npx --no -- openapi-typescript openapi.json -o src/api/schema.gen.ts
	@$(BIN)/python tools/script_schema.py
	@$(BIN)/python tools/curve_vectors.py
	@$(BIN)/python tools/shared_cases.py

bench: setup
	@$(BIN)/ruvelt bench --out bench/results.json

wheel: setup
	@$(BIN)/pip wheel -q --no-deps --wheel-dir dist .
	@ls dist/*.whl

clean:
	rm -rf .venv .stamps .cache frontend/node_modules src/ruvelt/web/static

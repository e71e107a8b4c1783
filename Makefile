# Two commands do everything: make demo, make test. Both install what is missing.
PYTHON ?= python3
VENV := .venv/bin
TEST_DB := $(PYTHON) ops/cluster.py run test
export PORT ?= 8000

.DEFAULT_GOAL := help
.PHONY: help install demo serve backup restore check-backup upgrade dev stop reset-demo test lint types test-core test-link test-ops test-server test-web test-e2e trials api format screenshots bench bench-million wheels audit sbom lock fuzz

help: ## this list
	@grep -hE '^[a-z0-9-]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/' | expand -t 14

install: ## install what is missing and build the interface
	@$(PYTHON) ops/install.py demo

demo: install ## install, start PostgreSQL on loopback, load demo data, serve on PORT (8000)
	@exec $(PYTHON) ops/serve.py

serve: install ## one's own: empty at first, kept apart from the demo, served on PORT (8000)
	@exec $(PYTHON) ops/serve.py own

backup: install ## one's own, while it runs or not, into one dated file with hashes (FILE names another directory)
	@$(PYTHON) ops/backup.py make $(FILE)

restore: install ## bring FILE back where nothing of one's own is
	@$(PYTHON) ops/backup.py restore $(FILE)

check-backup: install ## bring FILE back apart, compare every row and finding with what it held, and throw that away
	@$(PYTHON) ops/backup.py check $(FILE)

upgrade: install ## after git pull: back up, bring the database of one's own up to date, and go back where that fails
	@$(PYTHON) ops/backup.py upgrade

dev: install ## the same with hot reload
	@exec $(PYTHON) ops/serve.py dev

stop: ## stop a demo that runs in another terminal
	@$(PYTHON) ops/serve.py stop

reset-demo: ## throw the demo's database away; the next make demo makes it anew
	@$(PYTHON) ops/serve.py stop
	@$(PYTHON) ops/cluster.py remove demo

install-test:
	@$(PYTHON) ops/install.py test

test: install-test ## everything: format, lint, types, layers, migrations, API file, all tests
	@$(MAKE) --no-print-directory -j 2 lint types
	@$(MAKE) --no-print-directory test-core test-link test-ops test-server test-web test-e2e
	@echo "rennbahn: all tests passed"

lint: install-test ## format and lint of both languages, import layers, migrations and API file current
	@$(VENV)/ruff format --check --quiet . && $(VENV)/ruff check --quiet .
	@cd server && PYTHONPATH=. ../$(VENV)/lint-imports --config ../pyproject.toml --no-logo
	@cd web && npm run --silent lint
	@$(TEST_DB) $(VENV)/python ops/check_current.py

types: install-test ## types of both languages
	@$(VENV)/mypy core/src ops testing bench_link/bench_link.py
	@cd server && RENNBAHN_SECRET_KEY=x ../$(VENV)/mypy .
	@cd web && npm run --silent types

test-core: install-test ## the core alone, in seconds
	@$(VENV)/pytest core/tests -n 2 --dist worksteal

test-link: install-test ## the program for test machines, against servers and files of every temper
	@$(VENV)/pytest bench_link/tests

test-ops: install-test ## the private cluster and the supervisor
	@$(VENV)/pytest ops/tests

test-server: install-test ## the server through its API, with a real PostgreSQL
	@cd server && $(subst ops/,../ops/,$(TEST_DB)) ../$(VENV)/pytest -c pytest.ini -n 2 --dist worksteal

test-web: install-test ## the interface by itself: functions, and what a user would see of components
	@cd web && npm run --silent test

test-e2e: install-test ## the interface in a real browser
	@$(TEST_DB) $(VENV)/pytest -c e2e/pytest.ini e2e -n 2 --dist loadfile

trials: install-test ## what takes long: verdicts, checks, sentences and sittings at the bench on trial at full size, and two hundred kills
	@PYTHONPATH=testing $(VENV)/python benchmarks/truth.py
	@PYTHONPATH=testing $(VENV)/python benchmarks/doubts.py
	@PYTHONPATH=testing $(VENV)/python benchmarks/sentences.py
	@cd server && RENNBAHN_RUNS=500 $(subst ops/,../ops/,$(TEST_DB)) ../$(VENV)/pytest -c pytest.ini running/tests/test_trial.py -s
	@PYTHONPATH=testing $(TEST_DB) $(VENV)/python e2e/true_speed.py
	@RENNBAHN_KILLS=200 $(TEST_DB) $(VENV)/pytest -c e2e/pytest.ini e2e/test_faults.py -s
	@RENNBAHN_KILLS=12 $(TEST_DB) $(VENV)/pytest -c e2e/pytest.ini e2e/test_own.py e2e/test_several.py -s

words: install-test ## every sentence that people copy, once: to be read aloud
	@PYTHONPATH=testing $(VENV)/python benchmarks/words.py

api: install-test ## write the OpenAPI file and the types generated from it
	@$(TEST_DB) $(VENV)/python ops/check_current.py --write

format: install-test ## format both languages
	@$(VENV)/ruff format --quiet . && $(VENV)/ruff check --fix --quiet . ; cd web && npm run --silent format

screenshots: install-test ## docs/screenshots from the demo data
	@PYTHONPATH=testing $(TEST_DB) $(VENV)/python e2e/screenshots.py

bench: install-test ## reading and figures side by side with a plain pandas script, as ratios
	@$(VENV)/python benchmarks/run.py
	@PYTHONPATH=testing $(VENV)/python benchmarks/truth.py
	@PYTHONPATH=testing $(VENV)/python benchmarks/doubts.py
	@PYTHONPATH=testing $(VENV)/python benchmarks/sentences.py
	@PYTHONPATH=testing $(VENV)/python benchmarks/hours.py
	@PYTHONPATH=testing $(VENV)/python benchmarks/tuning.py
	@PYTHONPATH=testing $(VENV)/python benchmarks/latency.py
	@PYTHONPATH=testing $(VENV)/python benchmarks/history.py
	@PYTHONPATH=testing $(TEST_DB) $(VENV)/python benchmarks/server.py
	@PYTHONPATH=testing $(TEST_DB) $(VENV)/python benchmarks/importing.py
	@PYTHONPATH=testing $(TEST_DB) $(VENV)/python benchmarks/tracing.py
	@PYTHONPATH=testing:e2e $(TEST_DB) $(VENV)/python e2e/load.py

bench-million: install-test ## the same questions in a database of a million passes and in one of ten thousand
	@RENNBAHN_BENCH_PASSES=1000000 PYTHONPATH=testing $(TEST_DB) $(VENV)/python benchmarks/server.py

wheels: install-test ## the core with its command line, and bench_link, as wheels in dist/
	@$(PYTHON) ops/wheels.py dist

AUDIT := .audit/bin
$(AUDIT)/pip-audit: requirements/audit.txt
	@$(PYTHON) -m venv .audit && $(AUDIT)/pip install --quiet --disable-pip-version-check --require-hashes -r requirements/audit.txt && touch $@

audit: $(AUDIT)/pip-audit install ## ask the advisories, where they can be reached, for what is known of the packages that run
	@$(AUDIT)/pip-audit --require-hashes --disable-pip -r requirements/runtime.txt
	@cd web && npm audit --omit=dev

sbom: $(AUDIT)/pip-audit install ## build/: bills of materials in CycloneDX, of the server and of the interface
	@mkdir -p build && $(AUDIT)/cyclonedx-py requirements requirements/runtime.txt --output-reproducible -o build/server.cdx.json
	@cd web && npm sbom --silent --sbom-format cyclonedx --omit dev > ../build/interface.cdx.json
	@echo "rennbahn: build/server.cdx.json, build/interface.cdx.json"

lock: ## compile the hash-locked requirements anew (needs uv)
	@cd requirements && for name in runtime tools fuzz audit; do \
	uv pip compile --generate-hashes --no-header --no-emit-index-url --no-emit-find-links --python-version 3.11 \
	--quiet $$name.in -o $$name.txt; done

FUZZ_MINUTES ?= 60
FUZZ_THIRD = $$(( $(FUZZ_MINUTES) * 20 ))
fuzz: install-test ## an hour (FUZZ_MINUTES) of hostile files and requests: readers, and the API as each role
	@RENNBAHN_FUZZ_SECONDS=$$(( $(FUZZ_MINUTES) * 4 )) $(VENV)/pytest core/tests/test_fuzz_readers.py -s
	@cd server && RENNBAHN_FUZZ_SECONDS=$$(( $(FUZZ_MINUTES) * 5 )) \
	$(subst ops/,../ops/,$(TEST_DB)) ../$(VENV)/pytest -c pytest.ini config/tests/test_fuzz.py -s
	@if $(VENV)/pip install --quiet --require-hashes -r requirements/fuzz.txt; then mkdir -p .fuzz; \
	for name in core/tests/reference/*.* core/tests/reference/malformed/*.*; do head -c 4000 $$name > .fuzz/$$(basename $$name); done; \
	$(VENV)/python core/fuzz/readers.py .fuzz -max_len=8000 -timeout=20 -rss_limit_mb=3000 -max_total_time=$(FUZZ_THIRD); \
	else echo "rennbahn: atheris is not to be had here; the readers were tried by hypothesis alone"; fi

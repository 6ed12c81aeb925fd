# Two commands are all a newcomer needs: make demo, make test.
PYTHON ?= python3
BIN := .venv/bin

.PHONY: setup demo test fuzz bench assets lint format lock clean

setup: .venv/.app

.venv/.app: requirements/app.lock requirements/build.lock pyproject.toml
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements/build.lock
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements/app.lock
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	$(BIN)/python -m compileall -q src
	$(BIN)/python -c "from zeroknot.studio.tasks.warming import warm_up, warm_up_seldom as w; warm_up(); w()"
	touch $@

.venv/.test: .venv/.app requirements/test.lock assets/node_modules/.made
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements/test.lock
	touch $@

# What checks the scripts: TypeScript, ESLint and axe, on Node from Debian where there is none.
assets/node_modules/.made: assets/package-lock.json
	@command -v npm >/dev/null || (apt-get update -qq && apt-get install -y -qq nodejs npm)
	cd assets && npm ci --silent --no-audit --no-fund
	touch $@

demo: setup
	$(BIN)/zeroknot demo

test: .venv/.test
	@command -v chromium-headless-shell >/dev/null || command -v chromium >/dev/null \
	  || (apt-get update -qq && apt-get install -y -qq chromium-headless-shell) \
	  || apt-get install -y -qq chromium
	$(BIN)/python -m compileall -q src tests
	$(BIN)/python -m tests

# The same stories, requests and presses as in the tests, many times as many; then every reader, 20 minutes each.
FUZZ_SECONDS ?= 1200
fuzz: .venv/.test requirements/fuzz.lock
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements/fuzz.lock
	STORIES=400 $(BIN)/python -m tests tests.studio.test_stories
	REQUESTS=500 $(BIN)/python -m tests tests.web.test_any_request
	for seed in 1 2 3 4; do PRESSES=1000 SEED=$$seed $(BIN)/python -m tests tests.browser.test_any_press || exit 1; done
	for reader in midi groove tempo zip project wav aiff packed; do \
	  $(BIN)/python -m tests.fuzz $$reader $(FUZZ_SECONDS) || exit 1; done

# Loops for measuring are rendered once, into .data/accuracy, by fluidsynth and free soundfonts.
bench: .venv/.test requirements/bench.lock
	@command -v fluidsynth >/dev/null || (apt-get update -qq && apt-get install -y -qq fluidsynth \
	  fluid-soundfont-gm timgm6mb-soundfont musescore-general-soundfont-small rubberband-cli)
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements/bench.lock
	$(BIN)/python -m benchmarks
	$(BIN)/python -m benchmarks.accuracy.measure .data/accuracy
	$(BIN)/python -m benchmarks.quality.judge .data/quality
	$(BIN)/python -m benchmarks.apart.judge .data/apart

lint: .venv/.test
	$(BIN)/ruff check src tests benchmarks && $(BIN)/ruff format --check src tests benchmarks
	$(BIN)/mypy && $(BIN)/lint-imports

format: .venv/.test
	$(BIN)/ruff check --fix src tests benchmarks ; $(BIN)/ruff format src tests benchmarks

# Styles, fonts and scripts that ship with the application; the results are committed.
assets:
	bash assets/build.sh

# Locks carry hashes and no address of any registry.
lock:
	$(PYTHON) -m venv .venv/lock && .venv/lock/bin/pip install --quiet pip-tools
	for part in app test bench fuzz; do \
	  extra=$$([ $$part = app ] || echo "--extra $$part"); \
	  .venv/lock/bin/pip-compile --quiet --generate-hashes --no-emit-index-url --no-emit-trusted-host \
	    --no-emit-find-links --allow-unsafe --strip-extras $$extra -o requirements/$$part.lock pyproject.toml ; done
	.venv/lock/bin/pip-compile --quiet --generate-hashes --no-emit-index-url --no-emit-trusted-host \
	  --no-emit-find-links --allow-unsafe -o requirements/build.lock requirements/build.in

clean:
	rm -rf .venv assets/node_modules .data build

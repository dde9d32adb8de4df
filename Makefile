# Two commands matter: `make demo` and `make test`.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
PORT ?= 8000
SPARK := $(VENV)/spark
VAR_DIR := $(or $(NIGHT_TRAIL_VAR),$(CURDIR)/var)

# many short processes are started: none should read every module from its source anew
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo test lint bench attack browser-ready spark-ready clean

$(VENV)/.installed: requirements.lock pyproject.toml
	@$(PYTHON) -c 'import sys; sys.exit(0 if sys.version_info >= (3, 11) else "Python 3.11 or newer is needed: make demo PYTHON=python3.11")'
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV) || { echo "Python's venv is missing: apt-get install python3-venv"; exit 1; }
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements.lock
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps -e .
	@touch $@

$(VENV)/.installed-dev: requirements-dev.lock $(VENV)/.installed
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements-dev.lock
	@touch $@

demo: export DJANGO_SETTINGS_MODULE = night_trail.site.settings.demo
demo: $(VENV)/.installed
	@if [ -n "$(FRESH)" ]; then echo "Starting over."; rm -rf "$(VAR_DIR)"; fi
	@mkdir -p "$(VAR_DIR)"
	@$(BIN)/python manage.py ready_demo
	@PORT=$(PORT) $(BIN)/python tools/run_demo.py

lint: $(VENV)/.installed-dev
	$(BIN)/ruff format --check .
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/lint-imports --no-logo

browser-ready:
	@command -v chromium-headless-shell >/dev/null || { \
	  if [ "$$(id -u)" = 0 ]; then AS=; else AS=sudo; fi; \
	  $$AS apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$AS apt-get install -y -qq --no-install-recommends chromium-headless-shell fonts-dejavu-core; }

# two processes share the cores: threads inside numerics would only fight over them
test: export OPENBLAS_NUM_THREADS = 1
test: export OMP_NUM_THREADS = 1
# the jars of Spark are large: they come while other tests run, and where they do not its tests are left out
test: $(VENV)/.installed-dev browser-ready lint
	@mkdir -p $(SPARK) && touch $(SPARK)/coming
	@$(MAKE) --no-print-directory spark-ready & coming=$$!; \
	$(BIN)/python -m pytest $(ARGS); ended=$$?; kill $$coming 2>/dev/null; exit $$ended

spark-ready:
	@mkdir -p $(SPARK)
	@if [ ! -d $(SPARK)/jars ] && command -v java >/dev/null; then \
	  touch $(SPARK)/coming; \
	  $(BIN)/pip download --quiet --disable-pip-version-check --no-deps --no-binary :all: --require-hashes \
	    -d $(SPARK)/came -r requirements-spark.lock && \
	  tar -xzf $(SPARK)/came/pyspark-*.tar.gz -C $(SPARK)/came --wildcards '*/deps/jars' && \
	  mv $(SPARK)/came/pyspark-*/deps/jars $(SPARK)/jars; \
	  rm -rf $(SPARK)/came; \
	fi; rm -f $(SPARK)/coming; test -d $(SPARK)/jars || echo "Spark is left out: its jars are not here."

bench: $(VENV)/.installed-dev
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps --require-hashes -r requirements-bench.lock
	$(BIN)/python -m bench

attack: $(VENV)/.installed-dev
	$(BIN)/python -m attack $(ARGS)

clean:
	rm -rf $(VENV) var build *.egg-info .mypy_cache .ruff_cache

# Two commands do all set-up on a fresh machine: `make demo` and `make test`.
.PHONY: demo test setup compiled newest check core-without-qt bench lock attack

PYTHON := .venv/bin/python

setup: .venv/ready

.venv/ready: requirements.lock pyproject.toml scripts/setup.sh
	sh scripts/setup.sh

# Sources that are compiled once start twice as fast, whether or not Python may write what it compiles itself.
compiled: setup
	-$(PYTHON) -m compileall -q src

demo: compiled
	.venv/bin/blunt-ember demo

# Every test once: the core's where there is no Qt, then those of the desk in the newest Python there is, which is
# prepared while style and types are looked at. Of three windows there is one at least that is not waiting.
test: compiled
	$(MAKE) -j 2 check newest
	$(MAKE) core-without-qt
	.venv-newest/bin/python --version
	QT_QPA_PLATFORM=offscreen OPENBLAS_NUM_THREADS=1 .venv-newest/bin/python -m pytest tests/desk -n 3

newest: .venv-newest/ready
	-.venv-newest/bin/python -m compileall -q src

.venv-newest/ready: .venv/ready scripts/newest.sh
	sh scripts/newest.sh
	touch .venv-newest/ready

# Style, types and the direction of the imports.
check: setup
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy
	.venv/bin/lint-imports

# The core's tests in a Python that cannot find Qt.
core-without-qt: setup
	OPENBLAS_NUM_THREADS=1 $(PYTHON) scripts/without_qt.py -m pytest -p no:pytest-qt --ignore=tests/desk -n 2

bench: compiled
	QT_QPA_PLATFORM=offscreen $(PYTHON) bench/run.py
	$(PYTHON) bench/mesher.py
	QT_QPA_PLATFORM=offscreen $(PYTHON) bench/space.py
	QT_QPA_PLATFORM=offscreen $(PYTHON) bench/steady.py
	$(PYTHON) bench/clock.py
	$(PYTHON) bench/estimates.py
	$(PYTHON) bench/singular.py
	$(PYTHON) bench/edges.py
	$(PYTHON) bench/refining.py
	$(PYTHON) bench/enclosures.py
	$(PYTHON) bench/studies.py

# Resolve the newest versions within pyproject.toml anew.
lock:
	sh scripts/lock.sh

# Mutated cases, flows, drawings and meshes, a few minutes of them, fresh examples for every property the tests
# state (those of `make test` are the same each time), and every parameter of tests of which `make test` tries each
# second or third: `make attack`, or with other seeds and counts `.venv/bin/python -m tests.attack.attack --seed N`.
attack: setup
	OPENBLAS_NUM_THREADS=1 $(PYTHON) -m tests.attack.attack
	OPENBLAS_NUM_THREADS=1 $(PYTHON) -m tests.attack.kills
	OPENBLAS_NUM_THREADS=1 $(PYTHON) scripts/without_qt.py -m pytest -p no:pytest-qt --ignore=tests/desk -n 2 -m hypothesis \
		--hypothesis-profile=fresh
	OPENBLAS_NUM_THREADS=1 $(PYTHON) scripts/without_qt.py -m pytest -p no:pytest-qt --ignore=tests/desk -n 2 -m one_in \
		--every-parameter

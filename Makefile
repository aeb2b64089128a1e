# The two commands of the README, and two for those who work on the program.
VENV := .venv
PY := $(VENV)/bin/python

# Where bytecode is not to be kept, each of the hundred processes of a test run would compile the whole program again.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo test bench shots fuzz torture setup clean

setup:
	@bash tools/setup.sh

demo: setup
	@$(VENV)/bin/yomikomi demo

test: setup
	@$(VENV)/bin/ruff check .
	@bash tools/checks.sh $(VENV)/bin

bench: setup
	@$(PY) -m bench

shots: setup
	@QT_QPA_PLATFORM=offscreen $(PY) tools/shots.py

clean:
	@rm -rf $(VENV)

# Attacks: 20 000 damaged files, rows and tables, a thousand examples of every property; kill -9 two hundred times.
fuzz: setup
	@$(PY) -m tests.fuzzing_long 20000
	@YOMIKOMI_EXAMPLES=long $(PY) -m pytest -n 2 -m hypothesis

torture: setup
	@$(PY) -m tests.torture 200

# Loyal Trace. `make demo` and `make test` set up whatever is missing by themselves.
PY := .venv/bin/python
APP := .venv/bin/loyal-trace
SHOT ?= loyal-trace-demo.png

.PHONY: setup demo demo-shot run test lint types contracts tests window-tests other-tests ledger-tests file-tests core-alone bench mutants fuzz endure screenshots texts docs wheel clean

setup:
	@bash scripts/setup.sh

demo: setup
	@if [ -n "$$DISPLAY$$WAYLAND_DISPLAY" ]; then $(APP) --demo; else \
	  echo "No display here (neither DISPLAY nor WAYLAND_DISPLAY is set), so no window can open."; \
	  echo "Run the demo offscreen and get a picture of it with:  make demo-shot [SHOT=file.png]"; \
	  echo "Or use a virtual display:  xvfb-run -s '-screen 0 1280x800x24' make demo"; fi

demo-shot: setup
	QT_QPA_PLATFORM=offscreen $(APP) --demo --shot $(SHOT)

run: setup
	$(APP)

test:  # two at a time, each one's output in one piece
	@$(MAKE) --no-print-directory -j2 --output-sync=target window-tests lint types contracts core-alone other-tests ledger-tests file-tests

lint: setup
	$(PY) -m ruff check src tests benchmarks scripts
	$(PY) -m ruff format --check src tests benchmarks scripts

types: setup
	$(PY) -m mypy

contracts: setup
	.venv/bin/lint-imports

tests: window-tests other-tests ledger-tests file-tests

window-tests: setup
	QT_QPA_PLATFORM=offscreen $(PY) -m pytest tests/ui

other-tests: setup
	QT_QPA_PLATFORM=offscreen $(PY) -m pytest --ignore=tests/core --ignore=tests/ui --ignore=tests/store --ignore=tests/formats --ignore=tests/report --ignore=tests/ledgers

ledger-tests: setup
	QT_QPA_PLATFORM=offscreen $(PY) -m pytest tests/ledgers

file-tests: setup
	QT_QPA_PLATFORM=offscreen $(PY) -m pytest tests/store tests/formats tests/report

core-alone: setup
	LOYAL_TRACE_BLOCK_QT=1 $(PY) -m pytest -c tests/core_alone.ini --rootdir=. --confcutdir=. -p no:pytest-qt tests/core

bench: setup
	QT_QPA_PLATFORM=offscreen $(PY) -m benchmarks.run

fuzz: setup  # 100,000 cases for each reader of text, 5,000 for pictures, archives and sheets; takes hours
	QT_QPA_PLATFORM=offscreen $(PY) -m benchmarks.fuzz

endure: setup  # 500 simulated power cuts and 500 killed processes
	QT_QPA_PLATFORM=offscreen $(PY) -m benchmarks.endure

mutants: setup  # not part of `make test`: changes the core in memory, one change at a time
	$(PY) -m benchmarks.mutants

screenshots: setup
	QT_QPA_PLATFORM=offscreen $(PY) -m loyal_trace.ui.screenshots docs/screenshots

texts: setup  # every sentence, gathered for translators; how to try a language is said in the script
	$(PY) scripts/texts.py

docs: setup  # the page of what can be typed, from the forms; man page and completions, from the parsers
	$(PY) scripts/line_doc.py
	$(PY) scripts/cli_pages.py

wheel: setup
	$(PY) -m build --wheel --no-isolation --outdir dist

clean:
	rm -rf .venv dist build .mypy_cache .ruff_cache .import_linter_cache

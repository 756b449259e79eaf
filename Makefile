# Orange Crank: one-verb commands. `make` alone lists them.
.DEFAULT_GOAL := help
.PHONY: help demo serve stop reload-demo check dev test mutants format words types lock screenshots benchmarks
PORT ?= 8420
RUN := .venv/bin/orange-crank

help:  ## list the verbs
	@grep -hE '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed -E 's/^([a-z-]+):.*## /  make \1\t/' | expand -t 22

demo:  ## install what is missing, start with the demo shop, print the address
	@bash scripts/setup.sh run
	@exec env ORANGE_CRANK_PORT=$(PORT) $(RUN) start --demo

serve:  ## install what is missing, start a shop of one's own over several processes, no demo data
	@bash scripts/setup.sh run
	@exec env ORANGE_CRANK_PORT=$(PORT) $(RUN) serve

stop:  ## stop the running server and its database
	@$(RUN) stop

reload-demo:  ## throw all records away and load the demo shop again
	@$(RUN) demo --reload

check:  ## the fast lane, at most two minutes: form, types, most of the core
	@bash scripts/setup.sh test
	@bash scripts/check.sh

dev:  ## both sides with hot reload, on demo data of their own
	@bash scripts/setup.sh test
	@exec bash scripts/dev.sh

test:  ## install what is missing, then check and test everything
	@bash scripts/setup.sh test
	@bash scripts/test.sh

mutants:  ## break the rules of safety one by one and count what no test notices
	@bash scripts/setup.sh test
	@bash scripts/mutants.sh

format:  ## put code in house form
	@.venv/bin/ruff format -q . && .venv/bin/ruff check -q --fix .
	@cd frontend && npx biome check --write .

words:  ## bring the catalogs of translations up to date and print how much is translated
	@.venv/bin/python -m scripts.words

types:  ## make the front end's types anew from the server's OpenAPI
	@bash scripts/types.sh

lock:  ## make the hash-locked requirement files anew
	@bash scripts/lock.sh

screenshots:  ## take the pictures in docs/screenshots from demo data
	@bash scripts/setup.sh test
	@.venv/bin/python -m scripts.screenshots

benchmarks:  ## print the measured ratios
	@.venv/bin/python -m benchmarks

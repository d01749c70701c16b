SHELL := /bin/bash
export PATH := $(CURDIR)/.venv/bin:$(PATH)

.PHONY: demo serve test thorough lint faults cluster hostile screenshots bench example api texts requirements clean

demo: ## Install what is missing, set Marrowby up, and serve it
	@scripts/bootstrap.sh
	@bouquet demo

serve: ## An empty house: Bouquet's own database in a private cluster below .house; sources are added in the browser
	@scripts/bootstrap.sh
	@BOUQUET_FRONTEND=$${BOUQUET_FRONTEND:-frontend/dist} bouquet serve --private

test: lint ## All checks and tests
	@scripts/bootstrap.sh browser
	cd frontend && npm run --silent test
	python -m pytest -n 2 --dist loadfile --no-loadscope-reorder --durations 25

thorough: ## After the suite: more cases of what it proves with one, more errands in the browser, kills at every stage, each place and dialog looked at by axe
	@scripts/bootstrap.sh browser
	python -m pytest -n 2 --dist loadfile --no-loadscope-reorder --durations 10 -m thorough

lint: ## Format, lint, types, import contract
	@scripts/bootstrap.sh
	ruff format --check .
	ruff check .
	mypy bouquet
	lint-imports
	cd frontend && npm run --silent typecheck && npm run --silent lint
	@python scripts/openapi.py --check
	@python scripts/texts.py --check

faults: ## Kills, restarts, full disks: 200 kills and 6 restarts of the database
	@scripts/bootstrap.sh
	BOUQUET_KILLS_A_STEP=20 python -m pytest -m "not campaign" tests/rounds/test_killed.py tests/runs/test_faults.py tests/runs/test_relied_on.py
	python -m pytest -s -m campaign tests/campaigns

cluster: ## A house on five hosts, made of network namespaces, whose cables are pulled while it works; needs root
	@scripts/bootstrap.sh
	python -m pytest -s -m campaign tests/campaigns/test_many_machines.py

hostile: ## Limits, bad uploads, hostile templates; 25,000 requests of each of four people
	@scripts/bootstrap.sh
	BOUQUET_CASES=2000 python -m pytest tests/web/test_doors.py tests/web/test_fuzz.py tests/sources/test_rights.py
	BOUQUET_CASES=25000 python -m pytest -n 2 --timeout 3600 -m thorough tests/web/test_described.py

screenshots: ## Retake the picture of each main view
	@scripts/bootstrap.sh browser
	@python scripts/screenshots.py

bench: ## Speed and memory, as ratios
	@scripts/bootstrap.sh
	@python -m benchmarks

example: ## Headless: templates to files on disk
	@scripts/bootstrap.sh
	@scripts/example.sh

api: ## The front end's types, from the API's description
	@python scripts/openapi.py
	cd frontend && npm run --silent api

texts: ## The server's catalogues, with every text it looks up; what is new waits there for its translation
	@python scripts/texts.py

requirements: ## Pin requirements.txt anew from pyproject.toml
	pip-compile -q --upgrade --strip-extras --all-extras --no-header --no-annotate --no-emit-index-url --no-emit-find-links --no-emit-trusted-host -o requirements.txt pyproject.toml

clean: ## Remove the demonstration and everything built
	-@for folder in .demo .demo/test .demo/bench .demo/screenshots; do bouquet cluster destroy --folder $$folder; done
	rm -rf .demo .build .venv frontend/node_modules frontend/dist example-output

# Everything is done from here; see README.md.
SHELL := bash
.SHELLFLAGS := -euo pipefail -c
.DEFAULT_GOAL := build
export CGO_ENABLED ?= 0

GO_SOURCES := $(shell find api cmd core internal web/web.go -name '*.go' -o -name '*.sql' -o -name '*.json' -o -name '*.yaml' 2>/dev/null)
WEB_SOURCES := $(shell find web/src web/public web/index.html web/vite.config.ts web/package.json -type f)

.PHONY: build demo prepared test test-go race test-web test-browser bench screenshots bench-large odd torture lint vulnerabilities generate suggestions clean chromium race-tools

build: bin/codicil

demo: build ## build everything and start with the demo data
	./bin/codicil demo

DEMO := internal/demo/prepared/brinewell.db.gz

# The scenario is filled in anew where it, the standard kinds or what is stored has changed.
# A test of internal/demo tells when anything else changes what it holds: run make prepared.
DEMO_SOURCES := $(shell find internal/demo internal/standard internal/store internal/codec -name '*.go' ! -name '*_test.go' -o -name '*.sql' -o -name '*.json' ! -path '*/testdata/*')

$(DEMO): $(DEMO_SOURCES)
	go run ./internal/demo/prepare

prepared: ## fill the demo scenario in anew
	go run ./internal/demo/prepare

bin/codicil: web/dist/index.html $(DEMO) $(GO_SOURCES) go.mod go.sum
	go build -o $@ ./cmd/codicil

web/node_modules/.installed: web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund --loglevel=error
	touch $@

web/dist/index.html: web/node_modules/.installed $(WEB_SOURCES)
	find web/dist -mindepth 1 ! -name .gitkeep -delete
	cd web && npm run --silent build -- --logLevel warn

suggestions: ## suggest proofs for the demo anew; read what it wrote
	go run ./internal/demo/suggest

generate: web/node_modules/.installed ## make the types of the contract and the reference of formulas anew
	go tool oapi-codegen -config api/models.yaml api/openapi.yaml
	go tool oapi-codegen -config api/server.yaml api/openapi.yaml
	cd web && npm run --silent generate
	go run ./internal/reference/write formulas > docs/formulas.md
	go run ./internal/reference/write errors > docs/errors.md
	go run ./internal/reference/write texts > web/src/api/notices.json
	go run ./internal/reference/write shown > web/src/api/shown.json
	go run ./internal/reference/schema > book.schema.json.new && mv book.schema.json.new api/book.schema.json

test: test-go test-web test-browser ## every test, with its own set-up

# What is not driven in a browser. No test ends by the clock: a busy machine takes longer.
PACKAGES = $$(go list ./... | grep -v '/e2e')

test-go: web/node_modules/.installed web/dist/index.html $(DEMO)
	go test -timeout 0 $(PACKAGES)

# SQLite is C translated to Go; each connection has its memory to itself. Watched, it takes three times as long.
UNWATCHED := github.com/ncruces/go-sqlite3-wasm/...=-race=false

race: race-tools web/node_modules/.installed web/dist/index.html $(DEMO) ## the same tests under the race detector
	CGO_ENABLED=1 go test -race -gcflags='$(UNWATCHED)' -timeout 0 $(PACKAGES)

test-web: web/node_modules/.installed
	cd web && npm test --silent

test-browser: chromium web/node_modules/.installed web/dist/index.html $(DEMO)
	go test -count=1 -timeout 0 -parallel 4 ./e2e/...

# The race detector needs a C compiler; nothing else does.
race-tools:
	@command -v gcc >/dev/null || { [ "$$(id -u)" = 0 ] && apt-get update -qq && apt-get install -y -qq gcc libc6-dev; } \
	  || { echo "The race detector needs gcc. Install it, or run make test as root."; exit 1; }

# Without a desktop it takes two thirds of the time. Where that package cannot be had, Chromium as it is does.
chromium:
	@command -v chromium-headless-shell >/dev/null \
	  || { [ "$$(id -u)" = 0 ] && apt-get update -qq && { $(INSTALL) chromium-headless-shell || command -v chromium >/dev/null || $(INSTALL) chromium; }; } \
	  || command -v chromium >/dev/null || command -v google-chrome >/dev/null \
	  || { echo "The browser tests need Chromium. Install it, or run make test as root."; exit 1; }

INSTALL := DEBIAN_FRONTEND=noninteractive apt-get install -y -qq

odd: ## a minute of odd requests to every operation, and one of nearly right ones: no error of the program, no odd one over two seconds
	CODICIL_ODD=60s go test -count=1 -timeout 15m -run 'TestOddRequestsAreAnswered|TestNearlyRightRequestsAreAnswered' ./internal/httpapi

torture: ## kill the server, and take its power, so many times under writing clients: ROUNDS=1000
	CODICIL_TORTURE=$(or $(ROUNDS),1000) go test -count=1 -timeout 0 ./internal/torture

bench-large: export GOGC = 400
bench-large: ## the same for a large file, which is generated once: FILE=large.db VENDORS=200000 DOCUMENTS=1000000
	go run ./cmd/codicil generate --data $(or $(FILE),large.db) --vendors $(or $(VENDORS),200000) --documents $(or $(DOCUMENTS),1000000)
	CODICIL_FILE=$(abspath $(or $(FILE),large.db)) go test -run '^$$' -bench BenchmarkRecords -benchtime 100x ./bench

bench: export GOGC = 400 # as cmd/codicil sets it
bench: chromium web/dist/index.html ## speed, with peers in the same run
	go test -run '^$$' -bench . -benchmem ./core/... ./bench/...
	go test -run '^$$' -bench . -benchtime 1x ./e2e

screenshots: chromium web/dist/index.html ## one picture of each main view into docs/screenshots
	go run ./e2e/screenshots docs/screenshots

# The linters have a module of their own, so that what they need is no part of the program.
TOOL := go tool -modfile=tools/go.mod

lint: web/node_modules/.installed web/dist/index.html $(DEMO) vulnerabilities
	$(TOOL) golangci-lint run
	cd web && npm run --silent check && npm run --silent lint

vulnerabilities: ## known ones, where the database of them can be reached
	@$(TOOL) govulncheck ./... > vulnerabilities.txt 2>&1 \
	  || { grep -q "fetching vulnerabilities" vulnerabilities.txt && echo "The database of known vulnerabilities cannot be reached: not looked up."; } \
	  || { cat vulnerabilities.txt; rm vulnerabilities.txt; exit 1; }
	@rm vulnerabilities.txt

clean:
	rm -rf bin web/node_modules $(DEMO)
	find web/dist -mindepth 1 ! -name .gitkeep -delete

# Two commands do everything on a fresh machine: make demo, make test.

.PHONY: demo test run-tests long race build generate generated prepare prepare-test check lint bench load faults soak screenshots clean

GO ?= go

demo: prepare build
	./bin/oskel demo

# Everything that building and running needs: PostgreSQL from Debian's
# packages, npm and Go modules.
prepare:
	./scripts/prepare.sh

prepare-test:
	./scripts/prepare.sh chromium-headless-shell

build: bin/oskel

bin/oskel: console/dist/index.html $(shell find api cmd core internal console/embed.go go.mod -type f)
	$(GO) build -o bin/oskel ./cmd/oskel

# All that the console is made of: where none of it is newer it is neither
# built nor checked again, as go test does with a package.
CONSOLE := docs/glossary.md $(shell find console/src console/public -type f) $(wildcard $(addprefix console/*.,json ts js mjs html))

console/dist/index.html: $(CONSOLE)
	cd console && npm run --silent build

CHECKED := console/node_modules/.cache/oskel-checked
$(CHECKED): $(CONSOLE)
	cd console && npm run --silent check && npm run --silent test
	touch $@

# The contract is api/openapi.yaml; handlers, client and the console's types
# come from it. The types are written only where they change, or each test
# would build the console anew.
generate:
	cd api && $(GO) tool -modfile=../tools/go.mod oapi-codegen -config server.yaml openapi.yaml
	cd api && $(GO) tool -modfile=../tools/go.mod oapi-codegen -config client.yaml openapi.yaml
	cd console && npm run --silent types > /dev/null

# All that can be said without running it. Only 'generated' writes anything.
check: generated lint

generated: generate
	@git diff --exit-code --stat -- internal/httpapi/contract internal/client console/src/lib/api.gen.d.ts || \
		{ echo "Generated files differ from api/openapi.yaml: run make generate and commit them."; exit 1; }

lint:
	test -z "$$(gofmt -l $$(git ls-files "*.go"))" || { gofmt -l $$(git ls-files "*.go"); exit 1; }
	@! git ls-files "*.go" "*.vue" "*.ts" "*.css" "*.sh" | grep -v -e /contract/ -e internal/client/ -e api.gen | \
		xargs awk 'length > 160 { print FILENAME ":" FNR ": " length " characters; at most 160" }' | grep .
	$(GO) vet ./...
	$(GO) build -modfile=tools/go.mod -o bin/staticcheck honnef.co/go/tools/cmd/staticcheck
	./bin/staticcheck $$($(GO) list ./... | grep -v -e /contract$$ -e internal/client$$)
	$(MAKE) $(CHECKED)

# Much of a test of the whole is waiting: it goes beside the checks, and its
# tests beside one another.
test: prepare-test build generated
	$(MAKE) -j2 lint run-tests

run-tests:
	OSKEL_BIN=$(CURDIR)/bin/oskel $(GO) test -short -vet=off -parallel 6 -timeout 20m ./...

# What -short leaves out: each fault at each work, floods, the worst of every parameter, the
# colours of every page, light and dark.
LONG := TestFaults$$|TestAFullDisk|TestTwoServicesAtAllWorks|TestKilledInAPlannedSweep
long: prepare-test build
	OSKEL_BIN=$(CURDIR)/bin/oskel $(GO) test ./e2e -vet=off -parallel 6 -timeout 20m -run '$(LONG)|TestAxe|TestAFlood$$|TestABackupThatHoldsMore$$|TestTheWorstOfEveryParameter$$'

# The same under the race detector, which takes twice as long; CI does so with the rooms.
RACE ?= ./...
race: prepare-test build
	$(GO) test -race -vet=off -parallel 6 -timeout 40m $(RACE)

# Against hand-written SQL, a bare COPY and one pass of memory; LINES sets the
# size. docs/benchmarks.md keeps the last table.
LINES ?= 1000000
bench: prepare
	$(GO) run ./bench -lines $(LINES)

# Everything that can be killed, killed at every work, FAULTS times each; then the doctor.
FAULTS ?= 30
faults: prepare-test build
	$(GO) test ./e2e -count=1 -v -timeout 4h -run '$(LONG)' -faults $(FAULTS)

# Two hundred people on one desk for a minute, and 64 on a list of 100,000 exceptions,
# beside a bare handler.
load: prepare
	$(GO) run ./load
	$(GO) run ./load -list 100000 -people 64

# The demo, worked on in all ways for MINUTES: what the service holds, minute by minute.
MINUTES ?= 60
soak: prepare build
	$(GO) run ./load -soak $(MINUTES)m

screenshots: build
	$(GO) run ./e2e/shots docs/screenshots
	./e2e/shots/terminal.sh docs/screenshots

clean:
	rm -rf bin console/node_modules console/dist/assets

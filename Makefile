# Paper Kettle: `make demo` to see it, `make test` to check it, `make help` for the rest.
export CGO_ENABLED := 0
# The same for building, vetting and testing: what one has compiled, the others take from the cache.
export GOFLAGS := $(shell go env GOFLAGS) -trimpath

CONSOLE := $(shell find console/src console/public -type f -not -name .gitkeep) console/index.html console/vite.config.ts console/package-lock.json
GO      := $(shell find . -name '*.go' -not -path './console/node_modules/*') go.mod go.sum $(wildcard store/migrations/*.sql)

# What takes longest begins first, so that no core waits for it in the end.
LONGEST := ./service ./core/model/catalogue ./cli

.PHONY: help demo build test race lint bench stress kills setup setup-test setup-race contract clean pretrain

help: ## Say what there is
	@grep -hE '^[a-z-]+:.*## ' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/' | expand -t 16

demo: build ## Build, start the service with the demo data and stay up
	bin/paperkettle demo --data .demo-data

build: setup bin/paperkettle ## Build the console and the binary

setup:
	@scripts/setup.sh build

setup-test:
	@scripts/setup.sh test

setup-race:
	@scripts/setup.sh race

console/dist/index.html: $(CONSOLE)
	@scripts/setup.sh build
	cd console && npm run --silent build -- --logLevel warn
	@touch console/dist/.gitkeep $@

bin/paperkettle: console/dist/index.html $(GO)
	go build -o $@ ./cmd/paperkettle

test: setup-test build lint ## Run every check and test, installing what they need
	cd console && npm run --silent test
	go test -timeout 30m $(LONGEST) ./...

lint: setup bin/paperkettle ## Check format, vet, types, style and the contract
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { gofmt -l $$(git ls-files '*.go'); echo "run gofmt -w on these"; exit 1; }
	go vet ./...
	go tool -modfile=tools/go.mod staticcheck ./...
	cd console && npx --no-install biome check . && npx --no-install tsc --noEmit
	@cd console && npx --no-install openapi-typescript ../service/openapi.json -o node_modules/.schema.d.ts >/dev/null && cmp node_modules/.schema.d.ts src/api/schema.d.ts || { echo "the console's client is not what the contract says: run 'make contract'"; exit 1; }

contract: setup ## Write the OpenAPI document and the console's client anew
	go test ./service -run OpenAPIDocumentIsCurrent -update
	cd console && npm run --silent api

pretrain: ## Train the pretrained networks again from their seeds (an hour on 2 cores; a stop goes on where it was)
	go build -o bin/pretrain ./pretrain
	bin/pretrain -seed 1 -out pretrain/weights/pretrained-1.safetensors
	bin/pretrain -seed 2 -out pretrain/weights/pretrained-2.safetensors

stress: build ## Let readers, loads, runs, stalled and half-open connections loose at once, for a minute
	go run ./bench -only stress

kills: build ## Kill a service 200 times while it is at work, and compare what comes of it (ten minutes)
	go run ./bench -only kills

race: setup-race ## Run the tests of all but the browser under the race detector (hours; needs a C compiler)
	CGO_ENABLED=1 go test -race -timeout 6h -skip 'EveryPage|TheCheckItself|InTheConsole' ./...

bench: build ## Measure speed and memory (a few minutes)
	go test ./core/... ./ingest -run xxx -bench . -benchtime 1x
	go run ./bench

clean: ## Remove what was built, not the data
	rm -rf bin console/node_modules
	find console/dist -mindepth 1 -not -name .gitkeep -delete

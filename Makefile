# Two commands matter: make demo, and make test. Both install what is missing.
.PHONY: demo test build console lint bench scale quality fuzz shots clean
LISTEN ?= 127.0.0.1:8780
FUZZ_TIME ?= 10m

demo: install build
	exec bin/veneer demo --data .veneer/demo --listen $(LISTEN)

build: console
	go build -o bin/veneer ./cmd/veneer

.PHONY: install install-test
install:
	@scripts/install.sh
install-test:
	@scripts/install.sh test

# The console is built again when its sources, or the lock of what it is built with, are newer.
console: console/dist/index.html
console/dist/index.html: console/node_modules/.package-lock.json console/index.html console/vite.config.ts $(shell find console/src console/public -type f)
	cd console && npm run --silent build
	@touch $@
console/node_modules/.package-lock.json: console/package.json console/package-lock.json
	cd console && npm ci --no-progress
	@touch $@

test: install-test console lint
	cd console && npm run --silent types && npm run --silent test
	go test -timeout 40m ./...
	go test -timeout 40m -race ./bureau/... ./core/format/... ./core/pipeline/...
	@for f in stl:FuzzReadSTL obj:FuzzReadOBJ threemf:FuzzRead3MF number:FuzzFloat; do \
	  go test -run '^$$' -fuzz "^$${f#*:}$$" -fuzztime 20000x -fuzzminimizetime 50x ./core/format/$${f%%:*} || exit 1; done

lint:
	@test -z "$$(gofmt -l api bureau cli client cmd core demo e2e console/*.go)" || { gofmt -l api bureau cli client cmd core demo e2e console/*.go; exit 1; }
	go vet ./...
	go tool staticcheck ./...

# Figures: each benchmark also gives its ratio to reading the file's bytes.
bench:
	go test -p 1 -run '^$$' -bench . -benchtime 5x -count 5 ./core/format ./core/spatial ./core/pipeline ./core/decimate ./core/prepare ./core/repair/fuse ./core/repair/recast

fuzz:
	@for f in stl:FuzzReadSTL obj:FuzzReadOBJ threemf:FuzzRead3MF number:FuzzFloat; do \
	  go test -run '^$$' -fuzz "^$${f#*:}$$" -fuzztime $(FUZZ_TIME) -fuzzminimizetime 1000x ./core/format/$${f%%:*} || exit 1; done

# How a check and the heavy repairs grow, drawn for the documentation.
scale:
	VENEER_SCALE=$(CURDIR)/docs/check-speed.svg VENEER_REPAIR_SCALE=$(CURDIR)/docs/repair-speed.svg go test -count 1 -v -run 'TestScale|TestRepairScale' ./e2e

# What is lost when meshes are made lighter, as a table and drawn.
quality:
	VENEER_QUALITY=$(CURDIR)/docs go test -count 1 -v -run TestQuality ./core/decimate

# The documentation's pictures of the console, from the demo set.
shots: install-test console
	VENEER_SHOTS=$(CURDIR)/docs/screenshots go test -count 1 -run TestScreenshots ./e2e

clean:
	rm -rf bin console/node_modules console/dist/* .veneer

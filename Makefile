# Trevik. Two commands matter: make demo, make test. Both install what is missing.

GO ?= go
BIN := bin/trevik
STATIC := internal/web/static
FONTS := $(STATIC)/fonts
# Scripts of others, as they come.
SHIPPED := $(STATIC)/htmx.min.js $(STATIC)/mediabunny.js
FONT_FILES := \
	@fontsource/brygada-1918/files/brygada-1918-latin-500-normal.woff2 \
	@fontsource/brygada-1918/files/brygada-1918-latin-ext-500-normal.woff2 \
	@fontsource/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-400-normal.woff2 \
	@fontsource/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-ext-400-normal.woff2 \
	@fontsource/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-700-normal.woff2

# What works at once with others, and the pages that are asked for at once, under the race detector.
RACED := -timeout 15m -run 'Test(Each|Failing|Restart|Cancel|Kilometres|Last|Two|Taking|Import|Twice|Race|Wet|Open|Tries|Buying|Audit|Gate|Any|Clock|Proxy|Line)' ./internal/app ./internal/jobs ./internal/app/suite ./internal/web ./internal/cluster

.PHONY: demo test build assets generate stale columns bench faults load fuzz attack speed screenshots clean

demo: $(BIN)
	$(BIN) demo

test: $(BIN) node_modules/.package-lock.json
	./tools/need mariadb-server galera-4 mariadb-backup socat chromium ffmpeg gcc libc6-dev
	$(GO) vet ./...
	test -z "$$(gofmt -l cmd internal)" || { gofmt -l cmd internal; exit 1; }
	$(MAKE) stale columns
	$(GO) test -timeout 30m ./...
	CGO_ENABLED=1 $(GO) test -race $(RACED)
	npm run e2e

build: $(BIN)

GO_SOURCES := $(shell find cmd internal -name '*.go' -o -name '*.sql' -o -name '*.html') $(filter-out $(SHIPPED),$(wildcard $(STATIC)/*.js)) $(STATIC)/mark.svg go.mod

$(BIN): $(GO_SOURCES) $(STATIC)/app.css $(SHIPPED) $(FONTS)/.done
	./tools/need mariadb-server
	CGO_ENABLED=0 $(GO) build -trimpath -o $@ ./cmd/trevik

assets: $(STATIC)/app.css $(SHIPPED) $(FONTS)/.done

node_modules/.package-lock.json: package.json package-lock.json
	npm ci
	@touch $@

$(STATIC)/app.css: internal/web/style/app.css node_modules/.package-lock.json $(shell find internal/web -name '*.html' -o -path '*draw/*.go')
	npm run css

$(STATIC)/htmx.min.js: node_modules/.package-lock.json
	cp node_modules/htmx.org/dist/htmx.min.js $@

$(STATIC)/mediabunny.js: node_modules/.package-lock.json
	cp node_modules/mediabunny/dist/bundles/mediabunny.min.mjs $@

$(FONTS)/.done: node_modules/.package-lock.json
	mkdir -p $(FONTS)
	cd node_modules && cp $(FONT_FILES) ../$(FONTS)/
	touch $@

# The access to the database is generated from the SQL files and committed.
generate:
	cd internal/store && CGO_ENABLED=0 $(GO) tool -modfile=../../tools/go.mod sqlc generate

stale:
	cd internal/store && CGO_ENABLED=0 $(GO) tool -modfile=../../tools/go.mod sqlc diff

# Lines of code, styles and pages that are longer than 140 columns.
columns:
	@! find cmd internal e2e \( -name '*.go' -o -name '*.html' -o -name '*.css' -o -name '*.js' -o -name '*.mjs' -o -name '*.sql' \) \
		! -path '*/store/db/*' ! -path 'e2e/results/*' ! -path '$(STATIC)/app.css' $(SHIPPED:%=! -path '%') -exec env LC_ALL=C awk \
		'{ s = $$0; gsub(/[\200-\277]/, "", s) } length(s) > 140 { print FILENAME ":" FNR ": " length(s) " columns" }' {} + | grep .

# Kills, stops, fills, slows and cuts a single database, and then a cluster of three nodes, under two instances
# while people write: docs/reliability.md. It takes a quarter of an hour and the right to mount a small disk.
faults: $(BIN)
	./tools/need mariadb-server galera-4 mariadb-backup socat
	$(BIN) cluster --faults --nodes 1 --dir .trevik/faults-single --addr 127.0.0.1:0
	$(BIN) cluster --faults --nodes 3 --dir .trevik/faults-cluster --addr 127.0.0.1:0 --fresh

# The data of a chain of shops, and many who work at it at once; prints what each kind of request took.
load: $(BIN)
	./tools/need mariadb-server
	$(BIN) cluster --load --nodes 1 --instances 1 --dir .trevik/load --addr 127.0.0.1:0 --fresh

bench: $(BIN)
	$(GO) test -run '^$$' -bench . -benchmem ./...

# Every fuzz target that the code has, half a minute each.
fuzz:
	grep -rl '^func Fuzz' --include='*_test.go' internal | while read file; do \
		sed -n 's/^func \(Fuzz[A-Za-z0-9]*\).*/\1/p' "$$file" | while read name; do \
			$(GO) test -run '^$$' -fuzz "^$$name$$" -fuzztime 30s "./$$(dirname $$file)" || exit 1; \
		done || exit 1; \
	done

# Many sign in, send and upload at once, on a server of its own; prints what it took, fails beyond the limits.
attack: $(BIN) node_modules/.package-lock.json
	./tools/need mariadb-server
	node e2e/attack.mjs

# How long films take in the browser, from the file to the curve.
speed: $(BIN) node_modules/.package-lock.json
	./tools/need mariadb-server chromium ffmpeg
	node e2e/speed.mjs

screenshots: $(BIN) node_modules/.package-lock.json
	./tools/need mariadb-server chromium ffmpeg
	node e2e/screenshots.mjs

clean:
	rm -rf bin node_modules $(STATIC)/app.css $(SHIPPED) $(FONTS)

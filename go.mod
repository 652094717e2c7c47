module zarvek

go 1.26.0

require (
	github.com/gaissmai/bart v0.30.0
	github.com/goccy/go-yaml v1.19.2
	github.com/klauspost/compress v1.20.4
	github.com/rogpeppe/go-internal v1.16.0
	github.com/schollz/progressbar/v3 v3.18.0
	github.com/stretchr/testify v1.12.1
	go4.org/netipx v0.0.0-20260823151212-3075585bcbeb
	golang.org/x/sync v0.25.0
	golang.org/x/term v0.48.0
)

require (
	github.com/mitchellh/colorstring v0.0.0-20190213212951-d06e56a500db // indirect
	github.com/rivo/uniseg v0.4.7 // indirect
	go.yaml.in/yaml/v3 v3.0.5 // indirect
	golang.org/x/sys v0.50.0 // indirect
	golang.org/x/tools v0.26.0 // indirect
)

module zarvek

go 1.26.0

require (
	codeberg.org/go-fonts/liberation v0.6.0
	github.com/cheggaaa/pb/v3 v3.3.0
	github.com/chromedp/cdproto v0.159.0
	github.com/chromedp/chromedp v0.23.0
	github.com/fxamacker/cbor/v2 v2.10.0
	github.com/gaissmai/bart v0.30.0
	github.com/go-json-experiment/json v0.0.0-20260213210345-44df1a37e875
	github.com/gofrs/flock v0.13.2
	github.com/gosnmp/gosnmp v1.47.0
	github.com/jedib0t/go-pretty/v6 v6.8.3
	github.com/klauspost/compress v1.20.4
	github.com/maruel/natural v1.3.0
	github.com/mikelolasagasti/xz v1.0.1
	github.com/rogpeppe/go-internal v1.16.0
	github.com/stretchr/testify v1.12.1
	go.yaml.in/yaml/v4 v4.0.0
	go4.org/netipx v0.0.0-20260823151212-3075585bcbeb
	golang.org/x/crypto v0.59.0
	golang.org/x/image v0.48.0
	golang.org/x/sync v0.25.0
	golang.org/x/sys v0.50.0
	golang.org/x/term v0.48.0
	gonum.org/v1/plot v0.17.0
)

require (
	codeberg.org/go-latex/latex v0.3.0 // indirect
	git.sr.ht/~sbinet/gg v0.8.0 // indirect
	github.com/VividCortex/ewma v1.2.0 // indirect
	github.com/ajstarks/svgo v0.0.0-20211024235047-1546f124cd8b // indirect
	github.com/clipperhouse/uax29/v2 v2.7.0 // indirect
	github.com/fatih/color v1.19.0 // indirect
	github.com/golang/freetype v0.0.0-20170609003504-e2365dfdc4a0 // indirect
	github.com/mattn/go-colorable v0.1.16 // indirect
	github.com/mattn/go-isatty v0.0.24 // indirect
	github.com/mattn/go-runewidth v0.0.31 // indirect
	github.com/x448/float16 v0.8.4 // indirect
	go.yaml.in/yaml/v3 v3.0.6 // indirect
	golang.org/x/text v0.44.0 // indirect
	golang.org/x/tools v0.52.0 // indirect
)

package bench

import "embed"

//go:embed *.html
var pages embed.FS

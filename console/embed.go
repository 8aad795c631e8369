// Package console is the built console, to be served by the service.
package console

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files are the built console: index.html and its assets. Before the first
// build they are empty.
func Files() fs.FS {
	sub, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the name is a constant
	}
	return sub
}

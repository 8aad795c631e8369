package httpapi

import (
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"

	"github.com/gin-gonic/gin"
)

// serveConsole answers with a file of the built console, compressed where the
// browser takes it; any other path is a page of the console itself.
func serveConsole(console fs.FS, c *gin.Context) {
	if c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead {
		writeProblem(c, refusal(http.StatusMethodNotAllowed, "not-found", "No such address: %s %s.", c.Request.Method, c.Request.URL.Path))
		return
	}
	name := strings.TrimPrefix(path.Clean("/"+c.Request.URL.Path), "/")
	if _, err := fs.Stat(console, name); name == "" || name == "." || err != nil {
		if path.Ext(name) != "" {
			writeProblem(c, refusal(http.StatusNotFound, "not-found", "There is no file /%s.", name))
			return
		}
		name = "index.html"
	}
	cache := "no-cache"
	if strings.HasPrefix(name, "assets/") {
		cache = "public, max-age=31536000, immutable" // their names carry a hash
	}
	body, err := fs.ReadFile(console, name)
	if err != nil {
		c.Data(http.StatusOK, "text/plain; charset=utf-8", []byte("The console is not built into this program; run make build.\n"))
		return
	}
	kind := mime.TypeByExtension(path.Ext(name))
	for _, coding := range []struct{ name, suffix string }{{"br", ".br"}, {"gzip", ".gz"}} {
		if strings.Contains(c.GetHeader("Accept-Encoding"), coding.name) {
			if packed, err := fs.ReadFile(console, name+coding.suffix); err == nil {
				body = packed
				c.Header("Content-Encoding", coding.name)
				break
			}
		}
	}
	c.Header("Vary", "Accept-Encoding")
	c.Header("Cache-Control", cache)
	c.Data(http.StatusOK, kind, body)
}

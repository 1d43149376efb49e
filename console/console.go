// Package console holds the built web console and serves it.
package console

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
)

//go:embed all:dist
var dist embed.FS

type asset struct {
	plain, zipped []byte
	kind, tag     string
}

// Handler serves the console: its assets for ever (their names change with
// their content), and its one page for every other address.
func Handler() http.Handler {
	assets := map[string]asset{}
	fs.WalkDir(dist, "dist", func(name string, d fs.DirEntry, err error) error { // an embedded tree does not fail
		if err != nil || d.IsDir() {
			return err
		}
		body, err := dist.ReadFile(name)
		if err == nil {
			assets[strings.TrimPrefix(name, "dist")] = prepare(name, body)
		}
		return err
	})
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			http.Error(w, "method not allowed", http.StatusMethodNotAllowed)
			return
		}
		a, known := assets[r.URL.Path]
		switch {
		case strings.HasPrefix(r.URL.Path, "/assets/"):
			if !known {
				http.NotFound(w, r)
				return
			}
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		case known && r.URL.Path != "/index.html":
			w.Header().Set("Cache-Control", "no-cache")
		default:
			if a, known = assets["/index.html"]; !known {
				http.Error(w, "The console is not built into this binary; run make build.", http.StatusNotFound)
				return
			}
			w.Header().Set("Cache-Control", "no-cache")
		}
		a.write(w, r)
	})
}

func prepare(name string, body []byte) asset {
	sum := sha256.Sum256(body)
	a := asset{plain: body, kind: mime.TypeByExtension(path.Ext(name)), tag: `"` + hex.EncodeToString(sum[:8]) + `"`}
	switch path.Ext(name) { // do not depend on the machine's table
	case ".js":
		a.kind = "text/javascript; charset=utf-8"
	case ".css":
		a.kind = "text/css; charset=utf-8"
	case ".html":
		a.kind = "text/html; charset=utf-8"
	case ".svg":
		a.kind = "image/svg+xml"
	case ".woff2":
		a.kind = "font/woff2"
		return a // packed already
	}
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	z.Write(body)
	z.Close()
	if b.Len() < len(body)*9/10 {
		a.zipped = b.Bytes()
	}
	return a
}

func (a asset) write(w http.ResponseWriter, r *http.Request) {
	h := w.Header()
	h.Set("Content-Type", a.kind)
	h.Set("ETag", a.tag)
	h.Set("Vary", "Accept-Encoding")
	if r.Header.Get("If-None-Match") == a.tag {
		w.WriteHeader(http.StatusNotModified)
		return
	}
	body := a.plain
	if a.zipped != nil && strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
		h.Set("Content-Encoding", "gzip")
		body = a.zipped
	}
	w.WriteHeader(http.StatusOK) // said aloud: a router's fallback starts from 404
	if r.Method == http.MethodGet {
		w.Write(body)
	}
}

package app

import (
	"crypto/tls"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"sync"
	"time"
)

// certificate is read from two files, and again when they change, so that it is
// renewed without a restart.
type certificate struct {
	file, key string

	mu      sync.Mutex
	read    *tls.Certificate
	of      [2]time.Time // when the files were changed
	checked time.Time
}

// lookAgain is how long a certificate is taken as unchanged.
const lookAgain = 2 * time.Second

// newCertificate reads a certificate for the first time, when it must be right.
func newCertificate(file, key string) (*certificate, error) {
	c := &certificate{file: file, key: key}
	if _, err := c.get(nil); err != nil {
		return nil, err
	}
	return c, nil
}

// get is the certificate as its files have it. One that cannot be read, being written
// just now, leaves the one before.
func (c *certificate) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.read != nil && time.Since(c.checked) < lookAgain {
		return c.read, nil
	}
	c.checked = time.Now()
	of, err := changed(c.file, c.key)
	if err == nil && c.read != nil && of == c.of {
		return c.read, nil
	}
	var pair tls.Certificate
	if err == nil {
		pair, err = tls.LoadX509KeyPair(c.file, c.key)
	}
	switch {
	case err == nil:
		if c.read != nil {
			slog.Info("the certificate is renewed", "file", c.file, "until", pair.Leaf.NotAfter)
		}
		c.read, c.of = &pair, of
	case c.read == nil:
		return nil, fmt.Errorf("reading the certificate: %w", err)
	default:
		slog.Error("the certificate cannot be read; the one before goes on", "file", c.file, "error", err)
	}
	return c.read, nil
}

func changed(files ...string) (of [2]time.Time, err error) {
	for i, f := range files {
		info, err := os.Stat(f)
		if err != nil {
			return of, err
		}
		of[i] = info.ModTime()
	}
	return of, nil
}

// redirect sends whoever comes without TLS to the same place with it.
func redirect(listener net.Listener, to string) {
	_, port, _ := net.SplitHostPort(to) //nolint:errcheck // it is a listener's address
	s := &http.Server{ReadHeaderTimeout: 10 * time.Second, Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := r.Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		if port != "443" {
			host = net.JoinHostPort(host, port)
		}
		http.Redirect(w, r, "https://"+host+r.URL.RequestURI(), http.StatusPermanentRedirect)
	})}
	s.Serve(listener) //nolint:errcheck // it ends with its listener
}

package e2e

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	mathrand "math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// writeCertificate writes a certificate of one's own for loopback, with a serial number.
func writeCertificate(t *testing.T, dir string, serial int64) (file, keyFile string) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	made := &x509.Certificate{SerialNumber: big.NewInt(serial), Subject: pkix.Name{CommonName: "oskel"}, NotBefore: time.Now().Add(-time.Hour),
		NotAfter: time.Now().Add(time.Hour), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}}
	der, err := x509.CreateCertificate(rand.Reader, made, made, &key.PublicKey, key)
	require.NoError(t, err)
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	require.NoError(t, err)
	file, keyFile = filepath.Join(dir, "oskel.pem"), filepath.Join(dir, "oskel.key")
	for name, block := range map[string]*pem.Block{file: {Type: "CERTIFICATE", Bytes: der}, keyFile: {Type: "PRIVATE KEY", Bytes: secret}} {
		require.NoError(t, os.WriteFile(name+".new", pem.EncodeToMemory(block), 0o600))
		require.NoError(t, os.Rename(name+".new", name))
	}
	return file, keyFile
}

// freePort is an address that nothing listens on, of a port that the system gives out to
// nobody meanwhile.
func freePort(t *testing.T) string {
	for range 100 {
		address := fmt.Sprintf("127.0.0.1:%d", 20_000+mathrand.IntN(10_000))
		if l, err := net.Listen("tcp", address); err == nil {
			l.Close()
			return address
		}
	}
	require.Fail(t, "no port is free")
	return ""
}

// With a certificate the service speaks TLS, says so to browsers, sends others on,
// and takes a renewed one without a restart.
func TestTLS(t *testing.T) {
	t.Parallel()
	s := small(t)
	dir := t.TempDir()
	file, key := writeCertificate(t, dir, 1)
	plain := freePort(t)
	secured := runAs(t, s.database, func(o *options) { o.Certificate, o.Key, o.Redirect = file, key, plain })
	defer secured.stop()
	require.True(t, strings.HasPrefix(secured.url, "https://"), secured.url)
	ask := func(url string) (*http.Response, error) {
		c := &http.Client{
			Transport:     &http.Transport{TLSClientConfig: &tls.Config{InsecureSkipVerify: true}, DisableKeepAlives: true, ForceAttemptHTTP2: true},
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		}
		return c.Get(url)
	}
	r, err := ask(secured.url + "/api/session")
	require.NoError(t, err)
	r.Body.Close()
	assert.Equal(t, 401, r.StatusCode)
	assert.Equal(t, 2, r.ProtoMajor)
	assert.Equal(t, "max-age=31536000", r.Header.Get("Strict-Transport-Security"))
	assert.Equal(t, int64(1), r.TLS.PeerCertificates[0].SerialNumber.Int64())

	sent, err := ask("http://" + plain + "/figures?by=rep")
	require.NoError(t, err)
	sent.Body.Close()
	assert.Equal(t, 308, sent.StatusCode)
	assert.Equal(t, secured.url+"/figures?by=rep", sent.Header.Get("Location"))
	old, err := (&http.Client{Transport: &http.Transport{}}).Get(strings.Replace(secured.url, "https", "http", 1))
	require.NoError(t, err)
	old.Body.Close()
	assert.Equal(t, 400, old.StatusCode, "no figures without TLS")

	serial := func() int64 {
		r, err := ask(secured.url + "/api/session")
		require.NoError(t, err)
		r.Body.Close()
		return r.TLS.PeerCertificates[0].SerialNumber.Int64()
	}
	require.NoError(t, os.WriteFile(file, []byte("half a certifi"), 0o600))
	time.Sleep(3 * time.Second) // what is wrong goes on as it was
	assert.Equal(t, int64(1), serial())
	writeCertificate(t, dir, 2)
	require.Eventually(t, func() bool { return serial() == 2 }, 30*time.Second, 200*time.Millisecond)
	secured.stop()
	require.Eventually(t, func() bool {
		_, err := net.DialTimeout("tcp", plain, time.Second)
		return err != nil
	}, 30*time.Second, 50*time.Millisecond, "who is sent on, is so only while the service is there")
}

// What is wrong with the certificate or the log is said before anything is served.
func TestServeSaysWhatIsWrong(t *testing.T) {
	t.Parallel()
	binary, dir := build(t), openDir(t)
	file, _ := writeCertificate(t, dir, 1)
	for args, said := range map[string]string{
		"-certificate " + file:                   "both a certificate and its key",
		"-certificate " + file + " -key " + file: "reading the certificate",
		"-redirect :0":                           "both a certificate and its key",
		"-log-level loud":                        "error, warn, info or debug",
		"-log-format prose":                      "text or json",
		"-memory 12":                             "256MiB or more",
		"-memory much":                           "a size such as",
		"-proxies here":                          "the proxies",
	} {
		out, err := exec.Command(binary, append([]string{"serve", "-addr", "127.0.0.1:0", "-data", filepath.Join(dir, "data")},
			strings.Fields(args)...)...).CombinedOutput()
		assert.Error(t, err, args)
		assert.Contains(t, string(out), said, args)
	}
}

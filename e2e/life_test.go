package e2e

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/app"
	"oskel/internal/people"
	"oskel/internal/trial"
)

// process is the real program, with a PostgreSQL of its own.
type process struct {
	cmd *exec.Cmd
	url string
	log bytes.Buffer
}

var buildOnce sync.Once

// build is the program: the one that OSKEL_BIN names, as 'make test' has just built it, or
// one that is built now.
func build(t *testing.T) string {
	if built := os.Getenv("OSKEL_BIN"); built != "" {
		return built
	}
	binary := filepath.Join(scratch, "oskel")
	buildOnce.Do(func() {
		out, err := exec.Command("go", "build", "-o", binary, "oskel/cmd/oskel").CombinedOutput()
		require.NoError(t, err, "%s", out)
	})
	return binary
}

func openDir(t *testing.T) string {
	dir, err := os.MkdirTemp(trial.Home(), "oskel-life-")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755)) // the user postgres enters it
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

func serve(t *testing.T, binary, dir string) *process {
	return serveAs(t, exec.Command(binary, "serve", "-addr", "127.0.0.1:0", "-data", dir))
}

func serveAs(t *testing.T, cmd *exec.Cmd) *process {
	p := &process{cmd: cmd}
	stderr, err := p.cmd.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, p.cmd.Start())
	lines := bufio.NewScanner(io.TeeReader(stderr, &p.log))
	for lines.Scan() {
		if _, url, ok := strings.Cut(lines.Text(), "msg=serving address="); ok {
			p.url = url
			break
		}
	}
	require.NotEmpty(t, p.url, p.log.String())
	go io.Copy(io.Discard, stderr)
	t.Cleanup(func() { p.cmd.Process.Kill(); p.cmd.Wait() })
	return p
}

func (p *process) answers(t *testing.T) {
	r, err := http.Get(p.url + "/api/session")
	require.NoError(t, err)
	defer r.Body.Close()
	assert.Equal(t, 401, r.StatusCode)
	page, err := http.Get(p.url + "/overview")
	require.NoError(t, err)
	defer page.Body.Close()
	body, err := io.ReadAll(page.Body)
	require.NoError(t, err)
	assert.Contains(t, string(body), "<title>Oskel</title>")
}

func postmaster(t *testing.T, dir string) int {
	text, err := os.ReadFile(filepath.Join(dir, "data", "postmaster.pid"))
	require.NoError(t, err)
	pid := 0
	for _, c := range strings.SplitN(string(text), "\n", 2)[0] {
		pid = pid*10 + int(c-'0')
	}
	return pid
}

func gone(pid int) bool {
	for range 100 {
		if syscall.Kill(pid, 0) != nil {
			return true
		}
		time.Sleep(50 * time.Millisecond)
	}
	return false
}

// A killed service leaves nothing that hinders the next start; an interrupted
// one stops its PostgreSQL.
func TestKilledAndInterrupted(t *testing.T) {
	t.Parallel()
	binary, dir := build(t), openDir(t)
	first := serve(t, binary, dir)
	assert.Contains(t, first.log.String(), "The first account is 'lead' with the password ")
	first.answers(t)

	// A second one on the same data, or the same port, says what to do.
	out, err := exec.Command(binary, "serve", "-addr", "127.0.0.1:0", "-data", dir).CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "another service")
	taken := strings.TrimPrefix(first.url, "http://")
	out, err = exec.Command(binary, "serve", "-addr", taken, "-data", dir).CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "Choose another address with -addr")

	pg := postmaster(t, dir)
	require.NoError(t, first.cmd.Process.Kill())
	first.cmd.Wait()
	second := serve(t, binary, dir)
	second.answers(t)
	assert.True(t, gone(pg), "the PostgreSQL of the killed service still runs")
	assert.NotContains(t, second.log.String(), "The first account", "the accounts are still there")

	pg = postmaster(t, dir)
	require.NoError(t, second.cmd.Process.Signal(os.Interrupt))
	require.NoError(t, second.cmd.Wait())
	assert.True(t, gone(pg))
	_, err = net.DialTimeout("tcp", strings.TrimPrefix(second.url, "http://"), time.Second)
	assert.Error(t, err)
}

// PostgreSQL killed under the service is started again: meanwhile requests are
// told to try again, and within seconds all is well, with nobody's help.
func TestPostgresKilledUnderTheService(t *testing.T) {
	t.Parallel()
	binary, dir := build(t), openDir(t)
	p := serve(t, binary, dir)
	for range 2 {
		before := postmaster(t, dir)
		// It cannot come back before that has been told.
		conf := filepath.Join(dir, "data", "postgresql.conf")
		require.NoError(t, os.Rename(conf, conf+".aside"))
		require.NoError(t, syscall.Kill(before, syscall.SIGKILL))
		told := 0
		require.Eventually(t, func() bool {
			r, err := http.Post(p.url+"/api/session", "application/json", strings.NewReader(`{"name":"lead","password":"x"}`))
			require.NoError(t, err)
			defer r.Body.Close()
			body, _ := io.ReadAll(r.Body)
			assert.NotContains(t, string(body), "pgx", "the inside is not shown")
			if r.StatusCode == 503 {
				if told++; told == 1 {
					require.NoError(t, os.Rename(conf+".aside", conf))
				}
				assert.Contains(t, string(body), "urn:oskel:no-database")
				assert.NotEmpty(t, r.Header.Get("Retry-After"))
				return false
			}
			return r.StatusCode == 401 && postmaster(t, dir) != before // it is asked, and the password is wrong
		}, 60*time.Second, 20*time.Millisecond)
		assert.Positive(t, told)
	}
	pg := postmaster(t, dir)
	p.cmd.Process.Signal(os.Interrupt)
	p.cmd.Wait()
	assert.True(t, gone(pg), "it is stopped with the service all the same")
	next := serve(t, binary, dir)
	next.answers(t)
}

func TestServingAgainstADatabaseThatIsNotThere(t *testing.T) {
	t.Parallel()
	out, err := exec.Command(build(t), "serve", "-addr", "127.0.0.1:0", "-database", "postgres://x:y@127.0.0.1:1/none").CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "the database does not answer; is it running, and is the address right?")
}

// A service that fails while it prepares itself ends, with all that goes on beside,
// whatever it fails by.
func TestAFailedPreparationEnds(t *testing.T) {
	t.Parallel()
	failure := errors.New("it could not be prepared")
	for what, o := range map[string]app.Options{
		"preparing":    {Ready: func(context.Context, string) error { return failure }},
		"first people": {FirstPeople: func(context.Context, *people.Service) error { return failure }},
	} {
		o.Addr, o.Database = "127.0.0.1:0", newDatabase(t, "")
		ended := make(chan error, 1)
		go func() { ended <- app.Run(ctx, o) }()
		select {
		case err := <-ended:
			assert.ErrorIs(t, err, failure, what)
		case <-time.After(time.Minute):
			t.Fatal("it goes on: " + what)
		}
	}
}

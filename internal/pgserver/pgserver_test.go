package pgserver

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// testDir is a directory the user postgres may enter; Go's own is not.
func testDir(t *testing.T) string {
	dir, err := os.MkdirTemp("/tmp", "oskel-pg-")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755))
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

func answers(t *testing.T, s *Server) {
	conn, err := pgx.Connect(context.Background(), s.URL)
	require.NoError(t, err)
	defer conn.Close(context.Background())
	_, err = conn.Exec(context.Background(), "create table if not exists kept (n int); insert into kept values (1)")
	require.NoError(t, err)
}

func TestLife(t *testing.T) {
	ctx, dir := context.Background(), testDir(t)
	s, err := Start(ctx, Options{Dir: dir, Lax: true})
	require.NoError(t, err)
	answers(t, s)

	_, err = Start(ctx, Options{Dir: dir, Lax: true})
	require.ErrorContains(t, err, "another service")

	// A password is needed, on loopback too.
	_, err = pgx.Connect(ctx, strings.Replace(s.URL, ":", ":x", 2))
	require.Error(t, err)

	// A service that dies gives up its lock and leaves the server behind; the
	// next start stops that very one and goes on with the data.
	close(s.stopping) // nobody watches any more
	left := s.ended()
	s.lock.Close()
	next, err := Start(ctx, Options{Dir: dir, Lax: true})
	require.NoError(t, err)
	select {
	case <-left:
	case <-time.After(5 * time.Second):
		t.Fatal("the server left behind still runs")
	}
	answers(t, next)

	// One that is lost is started again, and says so.
	again := make(chan struct{}, 1)
	next.OnRestart(func() { again <- struct{}{} })
	require.NoError(t, next.cmd.Process.Signal(syscall.SIGKILL))
	select {
	case <-again:
	case <-time.After(30 * time.Second):
		t.Fatal("the server is not started again")
	}
	answers(t, next)

	// The server killed outright with its service: its stale pid file does not
	// hinder.
	close(next.stopping)
	done := next.ended()
	require.NoError(t, next.cmd.Process.Signal(syscall.SIGKILL))
	<-done
	next.lock.Close()
	require.FileExists(t, filepath.Join(dir, "data", "postmaster.pid"))
	last, err := Start(ctx, Options{Dir: dir, Lax: true})
	require.NoError(t, err)
	answers(t, last)
	last.Stop()
	assert.NoFileExists(t, filepath.Join(dir, "data", "postmaster.pid"))
}

func TestHalfMadeClusterIsMadeAnew(t *testing.T) {
	dir := testDir(t)
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "data.new"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "data.new", "PG_VERSION"), []byte("15"), 0o644))
	s, err := Start(context.Background(), Options{Dir: dir, Lax: true})
	require.NoError(t, err)
	s.Stop()
}

func TestRefusals(t *testing.T) {
	dir := testDir(t)
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "data"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "data", "PG_VERSION"), []byte("9"), 0o644))
	_, err := Start(context.Background(), Options{Dir: dir})
	require.ErrorContains(t, err, "of PostgreSQL 9")

	l, err := choosePort(0)
	require.NoError(t, err)
	s, err := Start(context.Background(), Options{Dir: testDir(t), Port: l, Lax: true})
	require.NoError(t, err)
	defer s.Stop()
	_, err = Start(context.Background(), Options{Dir: testDir(t), Port: l, Lax: true})
	require.ErrorContains(t, err, "is in use")

	if os.Geteuid() == 0 {
		closed := testDir(t)
		require.NoError(t, os.Chmod(closed, 0o700))
		_, err = Start(context.Background(), Options{Dir: filepath.Join(closed, "pg")})
		require.ErrorContains(t, err, "who cannot enter")
	}
}

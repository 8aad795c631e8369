// Package pgserver runs Debian's PostgreSQL on loopback, in a directory of
// its own, for as long as the service lives.
package pgserver

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"sort"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// Options say where and how to run.
type Options struct {
	Dir  string // holds the database, its password and its log
	Port int    // 0 takes a free one
	Lax  bool   // for tests: a crash of the machine may lose data, and passwords are cheaply kept
}

// Server is a running PostgreSQL, which is started again whenever it is lost.
// Its methods are safe for concurrent use.
type Server struct {
	URL  string // of the database "oskel"
	lock *os.File
	log  string
	args []string // of the program, its path first
	dir  string
	as   runAs

	mu       sync.Mutex
	cmd      *exec.Cmd
	done     chan struct{} // closed when cmd has ended
	stopping chan struct{}
	again    func()
}

// OnRestart has a function called each time the server answers again after it
// was lost: connections from before are worth nothing.
func (s *Server) OnRestart(again func()) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.again = again
}

// Start runs PostgreSQL, making the database on the first start. A server
// that an earlier, killed service left behind in the directory is stopped
// first; a directory that a living service uses is refused.
func Start(ctx context.Context, o Options) (*Server, error) {
	bin, err := Tools()
	if err != nil {
		return nil, err
	}
	dir, err := filepath.Abs(o.Dir)
	if err != nil {
		return nil, err
	}
	account, err := account(dir)
	if err != nil {
		return nil, err
	}
	lock, err := lockDir(dir)
	if err != nil {
		return nil, err
	}
	s := &Server{lock: lock, stopping: make(chan struct{}), log: filepath.Join(dir, "postgres.log")}
	started := false
	defer func() {
		if !started {
			lock.Close() //nolint:errcheck // closing gives the lock up; there is nothing to lose
		}
	}()
	if err := account.own(dir); err != nil {
		return nil, err
	}
	data := filepath.Join(dir, "data")
	if err := stopLeftover(data); err != nil {
		return nil, err
	}
	password, err := makeCluster(ctx, bin, dir, data, account, o.Lax)
	if err != nil {
		return nil, err
	}
	port, err := choosePort(o.Port)
	if err != nil {
		return nil, err
	}
	s.prepare(bin, data, port, account, o.Lax)
	s.URL = (&url.URL{Scheme: "postgres", User: url.UserPassword("oskel", password), Host: fmt.Sprintf("127.0.0.1:%d", port), Path: "oskel"}).String()
	// Processes of a server that was killed may linger for a moment, and hinder
	// the next.
	for patience := time.Now().Add(20 * time.Second); ; time.Sleep(200 * time.Millisecond) {
		if err = s.run(); err != nil {
			return nil, err
		}
		if err = s.ready(ctx); !errors.Is(err, errLingers) || time.Now().After(patience) {
			break
		}
	}
	if err != nil {
		s.Stop()
		return nil, err
	}
	started = true
	go s.watch()
	return s, nil
}

// The waits between attempts to start a lost server again.
const (
	firstWait = 100 * time.Millisecond
	lastWait  = 5 * time.Second
)

// watch starts the server again whenever it ends unasked, until Stop.
func (s *Server) watch() {
	for {
		select {
		case <-s.stopping:
			return
		case <-s.ended():
		}
		for wait := firstWait; ; wait = min(2*wait, lastWait) {
			select {
			case <-s.stopping:
				return
			case <-time.After(wait):
			}
			text, _ := os.ReadFile(s.log)
			slog.Error("PostgreSQL has ended; starting it again", "stderr", lastLine(text))
			err := s.run()
			if err == nil {
				ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
				err = s.ready(ctx)
				cancel()
			}
			if err != nil {
				slog.Error("PostgreSQL does not start again yet", "error", err)
				continue
			}
			slog.Info("PostgreSQL answers again")
			s.mu.Lock()
			again := s.again
			s.mu.Unlock()
			if again != nil {
				again()
			}
			break
		}
	}
}

// ended is closed when the process of now has ended.
func (s *Server) ended() chan struct{} {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.done
}

// ErrMissing says that no PostgreSQL is installed.
var ErrMissing = errors.New("PostgreSQL is not installed; as root: apt-get install postgresql, or give a database of your own with -database")

// Tools is the directory of PostgreSQL's programs, of the newest that is installed.
func Tools() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	if len(found) == 0 {
		return "", ErrMissing
	}
	version := func(path string) int {
		n, _ := strconv.Atoi(strings.Split(path, "/")[4])
		return n
	}
	sort.Slice(found, func(i, j int) bool { return version(found[i]) > version(found[j]) })
	return filepath.Dir(found[0]), nil
}

// runAs is the user PostgreSQL runs as: never root.
type runAs struct {
	credential *syscall.Credential // nil is whoever runs the service
}

func account(dir string) (runAs, error) {
	if os.Geteuid() != 0 {
		return runAs{}, nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return runAs{}, errors.New("PostgreSQL does not run as root, and there is no user postgres to run it as; as root: apt-get install postgresql")
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	for at := filepath.Dir(dir); ; at = filepath.Dir(at) {
		if info, err := os.Stat(at); err == nil && info.Mode()&0o001 == 0 {
			return runAs{}, fmt.Errorf("PostgreSQL runs as the user postgres, who cannot enter %s; keep the data elsewhere (-data) or allow it: chmod o+x %s", at, at)
		}
		if at == filepath.Dir(at) {
			break
		}
	}
	return runAs{&syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}}, nil
}

func (r runAs) own(path string) error {
	if r.credential == nil {
		return nil
	}
	return os.Chown(path, int(r.credential.Uid), int(r.credential.Gid))
}

// lockDir makes the directory and holds it until the process ends, however it
// ends.
func lockDir(dir string) (*os.File, error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, fmt.Errorf("the data directory cannot be made: %w", err)
	}
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("the data directory cannot be written: %w", err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		text, _ := os.ReadFile(f.Name())
		f.Close() //nolint:errcheck // nothing was written
		return nil, fmt.Errorf("another service (process %s) uses %s; stop it, or choose another directory with -data", strings.TrimSpace(string(text)), dir)
	}
	if err := f.Truncate(0); err != nil {
		return nil, err
	}
	_, err = f.WriteString(strconv.Itoa(os.Getpid()) + "\n")
	return f, err
}

// stopLeftover stops the very server that an earlier service left running
// over this data. A pid file without its process is PostgreSQL's own to clear.
func stopLeftover(data string) error {
	text, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
	if err != nil {
		return nil
	}
	pid, _ := strconv.Atoi(strings.SplitN(string(text), "\n", 2)[0])
	cwd, err := os.Readlink(fmt.Sprintf("/proc/%d/cwd", pid))
	if pid <= 1 || err != nil || cwd != data {
		return nil
	}
	slog.Info("stopping the PostgreSQL that an earlier service left running", "process", pid)
	if err := syscall.Kill(pid, syscall.SIGINT); err != nil {
		return fmt.Errorf("a PostgreSQL that an earlier service left running (process %d) cannot be stopped: %w", pid, err)
	}
	for range 200 {
		if syscall.Kill(pid, 0) != nil {
			return nil
		}
		time.Sleep(50 * time.Millisecond)
	}
	return fmt.Errorf("a PostgreSQL that an earlier service left running (process %d) does not stop; end it with: kill -QUIT %d", pid, pid)
}

// makeCluster runs initdb on the first start and returns the password. A
// half-made cluster is made anew: it is only renamed into place when whole.
func makeCluster(ctx context.Context, bin, dir, data string, as runAs, lax bool) (string, error) {
	passwordFile := filepath.Join(dir, "password")
	if version, err := os.ReadFile(filepath.Join(data, "PG_VERSION")); err == nil {
		if major := strings.TrimSpace(string(version)); !strings.Contains(bin, "/"+major+"/") {
			return "", fmt.Errorf("the data in %s is of PostgreSQL %s, and %s is another version; install postgresql-%s", data, major, bin, major)
		}
		password, err := os.ReadFile(passwordFile)
		if err != nil {
			return "", fmt.Errorf("the database's password cannot be read: %w", err)
		}
		return strings.TrimSpace(string(password)), nil
	}
	password := rand.Text()
	if err := os.WriteFile(passwordFile, []byte(password+"\n"), 0o600); err != nil {
		return "", err
	}
	if err := as.own(passwordFile); err != nil {
		return "", err
	}
	half := data + ".new"
	if err := os.RemoveAll(half); err != nil {
		return "", err
	}
	args := []string{"-D", half, "-U", "oskel", "--pwfile=" + passwordFile, "-E", "UTF8", "--locale=C.UTF-8"}
	if lax {
		args = append(args, "-A", "md5", "--no-sync") // thousands of connections, each of which takes some milliseconds otherwise
	} else {
		args = append(args, "-A", "scram-sha-256")
	}
	cmd := exec.CommandContext(ctx, filepath.Join(bin, "initdb"), args...)
	cmd.Dir = dir
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: as.credential}
	if out, err := cmd.CombinedOutput(); err != nil {
		return "", fmt.Errorf("making the database: %w: %s", err, lastLine(out))
	}
	return password, os.Rename(half, data)
}

func choosePort(port int) (int, error) {
	l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port))
	if err != nil {
		return 0, fmt.Errorf("port %d for PostgreSQL is in use; choose another, or leave it to be chosen", port)
	}
	defer l.Close() //nolint:errcheck // it was opened to see that it can be
	return l.Addr().(*net.TCPAddr).Port, nil
}

func (s *Server) prepare(bin, data string, port int, as runAs, lax bool) {
	s.dir, s.as = data, as
	s.args = []string{filepath.Join(bin, "postgres"), "-D", data,
		"-c", "listen_addresses=127.0.0.1", "-c", fmt.Sprintf("port=%d", port), "-c", "unix_socket_directories=",
		"-c", "shared_buffers=256MB", "-c", "max_wal_size=4GB"}
	if lax {
		s.args = append(s.args, "-c", "fsync=off", "-c", "full_page_writes=off", "-c", "max_connections=400") // services of many tests share it
	}
}

// mostLog bounds the log that is carried over a start.
const mostLog = 8 << 20

// run starts the process, unless one runs.
func (s *Server) run() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	select {
	case <-s.stopping:
		return errors.New("it is being stopped")
	default:
	}
	if s.done != nil {
		select {
		case <-s.done:
		default:
			return nil
		}
	}
	if info, err := os.Stat(s.log); err == nil && info.Size() > mostLog {
		os.Rename(s.log, s.log+".old") //nolint:errcheck // then it grows on
	}
	log, err := os.OpenFile(s.log, os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o644)
	if err != nil {
		return err
	}
	cmd, done := exec.Command(s.args[0], s.args[1:]...), make(chan struct{})
	cmd.Dir = s.dir
	cmd.Stdout, cmd.Stderr = log, log
	// Its own process group: Ctrl-C is for the service, which then stops it.
	// Should the service be killed, the kernel stops it; that promise hangs
	// on the thread that starts it, so the thread is kept.
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: s.as.credential, Setpgid: true, Pdeathsig: syscall.SIGINT}
	failed := make(chan error)
	go func() {
		runtime.LockOSThread()
		err := cmd.Start()
		failed <- err
		if err == nil {
			cmd.Wait() //nolint:errcheck // how it ended is in its log
		}
		log.Close() //nolint:errcheck // written by the other process
		close(done)
	}()
	if err := <-failed; err != nil {
		return fmt.Errorf("starting PostgreSQL: %w", err)
	}
	s.cmd, s.done = cmd, done
	return nil
}

// errLingers says that processes of an earlier server have not ended yet.
var errLingers = errors.New("PostgreSQL cannot start while processes of the one before it have not ended")

// ready waits until the server answers, and makes the database.
func (s *Server) ready(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	admin := strings.TrimSuffix(s.URL, "/oskel") + "/postgres"
	for {
		conn, err := pgx.Connect(ctx, admin)
		if err == nil {
			defer conn.Close(ctx) //nolint:errcheck // its work is done
			var there bool
			if err = conn.QueryRow(ctx, "select exists (select from pg_database where datname = 'oskel')").Scan(&there); err == nil && !there {
				_, err = conn.Exec(ctx, "create database oskel")
			}
			return err
		}
		select {
		case <-s.ended():
			text, _ := os.ReadFile(s.log)
			// One that was killed just now still has its number until it is buried.
			if last := string(text[max(0, len(text)-2000):]); strings.Contains(last, "shared memory block") && strings.Contains(last, "still in use") ||
				strings.Contains(last, "Is another postmaster") {
				return fmt.Errorf("%w (see %s)", errLingers, s.log)
			}
			return fmt.Errorf("PostgreSQL stopped at once: %s (all of it in %s)", lastLine(text), s.log)
		case <-ctx.Done():
			return fmt.Errorf("PostgreSQL does not answer within a minute: %w (its log is %s)", err, s.log)
		case <-time.After(30 * time.Millisecond):
		}
	}
}

// Stop ends the server cleanly and gives its directory up.
func (s *Server) Stop() {
	defer s.lock.Close() //nolint:errcheck // closing gives the lock up; there is nothing to lose
	close(s.stopping)
	s.mu.Lock()
	cmd, done := s.cmd, s.done
	s.mu.Unlock()
	for _, signal := range []syscall.Signal{syscall.SIGINT, syscall.SIGQUIT, syscall.SIGKILL} {
		cmd.Process.Signal(signal) //nolint:errcheck // it may have ended by itself
		select {
		case <-done:
			return
		case <-time.After(20 * time.Second):
			slog.Warn("PostgreSQL is slow to stop", "signal", signal)
		}
	}
}

func lastLine(text []byte) string {
	lines := strings.Split(strings.TrimSpace(string(text)), "\n")
	return lines[len(lines)-1]
}

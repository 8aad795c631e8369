// Package app wires the rooms together and is the life of the service.
package app

import (
	"context"
	"crypto/rand"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"time"

	"github.com/alexedwards/scs/pgxstore"

	"oskel/internal/backup"
	"oskel/internal/books"
	"oskel/internal/figures"
	"oskel/internal/httpapi"
	"oskel/internal/intake"
	"oskel/internal/jobs"
	"oskel/internal/notify"
	"oskel/internal/people"
	"oskel/internal/pgserver"
	"oskel/internal/review"
	"oskel/internal/store"
	"oskel/internal/sweep"
)

// Options say how the service runs.
type Options struct {
	Addr     string // to listen on, such as 127.0.0.1:8420
	Database string // a PostgreSQL URL; "" runs a server of its own in Data
	Data     string // the directory of that server
	Port     int    // of that server; 0 takes a free one
	Secure   bool   // the console is reached over HTTPS alone
	Console  fs.FS
	Now      func() time.Time
	Limits   httpapi.Limits
	Proxies  []string // addresses and networks that may say who asks

	// With a certificate and its key the service speaks TLS; Redirect is then an
	// address whose callers are sent on to it.
	Certificate, Key, Redirect string

	Log Log

	// FirstPeople adds accounts to an empty database. Without it a lead with
	// a password of chance is made, and told to Say.
	FirstPeople func(context.Context, *people.Service) error
	Say         func(format string, args ...any)
	// Ready is called once the service answers, with its address.
	Ready func(ctx context.Context, url string) error
}

// Run serves until ctx ends, then stops everything it started, in order.
func Run(ctx context.Context, o Options) error {
	if o.Now == nil {
		o.Now = time.Now
	}
	try := switchesOf(ctx)
	// The address first: it is the likeliest to be wrong, and the cheapest.
	listener, err := net.Listen("tcp", o.Addr)
	if err != nil {
		return fmt.Errorf("cannot listen on %s: %w; is another service running there? Choose another address with -addr", o.Addr, err)
	}
	defer listener.Close() //nolint:errcheck // the server closes it; this is for the ways out before
	listener, scheme, err := o.secured(ctx, listener)
	if err != nil {
		return err
	}
	if scheme == "https" {
		o.Secure = true
	}
	database := o.Database
	var restarted func(func()) // of a server of its own
	if database == "" {
		pg, err := pgserver.Start(ctx, pgserver.Options{Dir: o.Data, Port: o.Port})
		if err != nil {
			return err
		}
		defer pg.Stop()
		database, restarted = pg.URL, pg.OnRestart
	}
	s, err := store.Open(ctx, database)
	if err != nil {
		return err
	}
	defer s.Close()
	live := &notify.Live{}
	handler, accounts, queue, err := wire(ctx, s, database, live, o)
	if err != nil {
		return err
	}
	if restarted != nil {
		restarted(func() {
			s.Reconnect()
			queue.Reconnect()
		})
	}
	beside, stop := context.WithCancel(ctx) // of all that goes on beside the answering
	prepared := make(chan struct{})
	worked := work(beside, database, queue, live, prepared, try)
	defer func() { stop(); <-worked }()
	if err := firstPeople(ctx, s, accounts, o); err != nil {
		return err
	}
	go dropEnded(ctx, s)
	return o.serve(ctx, listener, scheme, handler, func() {
		if !try.Idle {
			close(prepared)
		}
	}, stop)
}

// work does what goes on beside the answering: the queue, once the service is prepared, so
// that what prepares it, such as the demo, is not swept in between; and telling of what
// changes. It has ended when the channel it returns is closed.
func work(ctx context.Context, database string, queue *jobs.Queue, live *notify.Live, prepared <-chan struct{}, try Switches) <-chan struct{} {
	ended, changed := make(chan struct{}), make(chan struct{}, 1)
	go func() {
		defer close(ended)
		select {
		case <-prepared:
			queue.Run(ctx, try.Look, changed)
		case <-ctx.Done():
			queue.Close()
		}
	}()
	go store.Listen(ctx, database, func(what string) {
		live.Tell(notify.Event{Name: "changed", Data: map[string]string{"what": what}})
		if what == "case_events" {
			return // nothing is due by it
		}
		select {
		case changed <- struct{}{}:
		default: // it is going to look anyway
		}
	})
	context.AfterFunc(ctx, live.Close)
	return ended
}

// serve answers until ctx ends or it fails, tells who is Ready and calls prepared, and stops
// what goes on beside before it waits ten seconds for the last answers.
func (o Options) serve(ctx context.Context, listener net.Listener, scheme string, handler http.Handler, prepared, stop func()) (err error) {
	server := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute}
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(listener) }()
	url := scheme + "://" + listener.Addr().String()
	slog.Info("serving", "address", url)
	if o.Ready == nil {
		prepared()
	} else {
		go func() {
			if err := o.Ready(ctx, url); err != nil {
				failed <- err
			} else {
				prepared()
			}
		}()
	}
	select {
	case err = <-failed:
	case <-ctx.Done():
	}
	slog.Info("stopping")
	stop()
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	if stop := server.Shutdown(end); stop != nil {
		server.Close() //nolint:errcheck // it was asked nicely
	}
	if errors.Is(err, http.ErrServerClosed) || ctx.Err() != nil {
		err = nil
	}
	return err
}

// secured has a listener speak TLS where there is a certificate, and sends the callers
// of the other address there until ctx ends.
func (o Options) secured(ctx context.Context, plain net.Listener) (listener net.Listener, scheme string, err error) {
	if o.Certificate == "" && o.Key == "" && o.Redirect == "" {
		return plain, "http", nil
	}
	if o.Certificate == "" || o.Key == "" {
		return nil, "", errors.New("TLS takes both a certificate and its key: -certificate FILE -key FILE")
	}
	c, err := newCertificate(o.Certificate, o.Key)
	if err != nil {
		return nil, "", err
	}
	if o.Redirect != "" {
		other, err := net.Listen("tcp", o.Redirect)
		if err != nil {
			return nil, "", fmt.Errorf("cannot listen on %s, whose callers are to be sent on: %w", o.Redirect, err)
		}
		context.AfterFunc(ctx, func() { other.Close() }) //nolint:errcheck // nobody asks it any more
		go redirect(other, plain.Addr().String())
	}
	return tls.NewListener(plain, &tls.Config{GetCertificate: c.get, MinVersion: tls.VersionTLS12, NextProtos: []string{"h2", "http/1.1"}}), "https", nil
}

// dropEnded clears away sessions and tokens that have ended, every hour.
func dropEnded(ctx context.Context, s *store.Store) {
	tick := time.NewTicker(time.Hour)
	defer tick.Stop()
	for {
		if err := s.DropEnded(ctx); err != nil && ctx.Err() == nil {
			slog.Error("deleting expired sessions and tokens", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

func wire(ctx context.Context, s *store.Store, database string, live *notify.Live, o Options) (http.Handler, *people.Service, *jobs.Queue, error) {
	b := books.New(s)
	f := figures.New(s)
	sweeps := sweep.New(s, b, f, o.Now)
	sweeps.Tell(func(p sweep.Progress) { live.Tell(notify.Event{Name: "sweeping", Data: httpapi.Sweeping(p)}) })
	queue, err := jobs.Open(ctx, database, sweeps)
	if err != nil {
		return nil, nil, nil, err
	}
	reviews := review.New(s, b, o.Now)
	queue.OnTick(reviews.Steps)
	accounts := people.New(s, o.Now)
	if switchesOf(ctx).NoDelay {
		accounts.WithoutDelay()
	}
	handler, err := httpapi.New(httpapi.Services{
		Books: b, Trials: books.NewRehearser(s, b, f), Figures: f, Intake: intake.New(s, b, o.Now), Sweep: sweeps, Jobs: queue, Live: live, Review: reviews,
		People: accounts,
		// Without its own cleaning up, which cannot be stopped safely; dropEnded does it.
		Sessions: pgxstore.NewWithCleanupInterval(s.Interactive(), 0), Now: o.Now, Console: o.Console, Secure: o.Secure, Limits: o.Limits, Proxies: o.Proxies,
		Audit: s, Views: s,
		Backup: func(ctx context.Context, to io.Writer) error {
			tools, err := pgserver.Tools()
			if err != nil {
				return err
			}
			return backup.Write(ctx, s, database, tools, o.Now(), to)
		},
	})
	return handler, accounts, queue, err
}

func firstPeople(ctx context.Context, s *store.Store, accounts *people.Service, o Options) error {
	if o.FirstPeople != nil {
		return o.FirstPeople(ctx, accounts)
	}
	all, err := s.People(ctx)
	if err != nil || len(all) > 0 {
		return err
	}
	password := rand.Text()
	if err := accounts.Add(ctx, store.Person{Name: "lead", Title: "The first lead", Role: people.Lead}, password); err != nil {
		return err
	}
	if o.Say != nil {
		o.Say("The first account is 'lead' with the password %s; it is shown only now.\nAdd others with: oskel person add\n", password)
	}
	return nil
}

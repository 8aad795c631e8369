// Package intake turns files into rows of the store: accepted whole or not at
// all.
package intake

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"time"

	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/rulebook"
	"oskel/internal/books"
	"oskel/internal/store"
)

// Service is safe for concurrent use; intakes happen one after the other.
type Service struct {
	store *store.Store
	books *books.Service
	now   func() time.Time
}

// New is a service over a store; now is the clock by which a day is far ahead.
func New(s *store.Store, b *books.Service, now func() time.Time) *Service { return &Service{s, b, now} }

// Request is a file on its way in.
type Request struct {
	Into    string // "feed", "register" or "targets"
	Name    string // of the feed, or of the kind
	File    string // its name, for messages
	Replace string // a period whose lines give way; "" adds
	Correct string // a note column: lines that bear the same as one in the file give way
	Again   bool   // take in lines that are there already
	Sure    bool   // take in what is doubtful
	Trial   bool   // check the file and report on it, and keep nothing
	Author  string
	Body    io.Reader

	doubts *doubts
}

// Errors that are not faults of the file.
var (
	ErrUnknown    = errors.New("unknown")
	ErrBadRequest = errors.New("not possible")
)

// Again says that the same bytes were taken in before, and still count.
type Again struct{ Before store.Intake }

func (a *Again) Error() string {
	return fmt.Sprintf("this file was already loaded as intake %d (%s) by %s on %s", a.Before.ID, a.Before.File, a.Before.Author, a.Before.At.Format("2 Jan 2006"))
}

// Report is what a file would bring.
type Report struct {
	Rows     int64
	Months   []store.MonthTotals // those that the file touches, with the two before the first
	Subjects []string            // new ones
	Equal    *Equal              // lines that are there already
	Doubts   []string            // what may be a slip of the pen
}

// errTrial ends the transaction of a trial.
var errTrial = errors.New("a trial keeps nothing")

// Try checks a file as Load does and says what it would bring; it keeps nothing.
func (s *Service) Try(ctx context.Context, r Request) (Report, error) {
	r.Trial = true
	var report Report
	_, err := s.take(ctx, r, &report)
	if errors.Is(err, errTrial) {
		err = nil
	}
	return report, err
}

// Load checks a file row by row and keeps it whole, or refuses it whole with
// a *Refusal.
func (s *Service) Load(ctx context.Context, r Request) (store.Intake, error) {
	r.Trial = false
	return s.take(ctx, r, nil)
}

// take does one intake: the file is heard out first, then checked and written under one lock by the
// rulebook as it is then. A refused one leaves nothing but its report.
func (s *Service) take(ctx context.Context, r Request, report *Report) (store.Intake, error) {
	_, book, err := s.books.Published(ctx)
	if err != nil {
		return store.Intake{}, err
	}
	in, err := planned(book, r)
	if err != nil {
		return in, err
	}
	file, done, err := heardOut(r.Body)
	if err != nil {
		return in, err
	}
	defer done()
	if is, err := file.Stat(); err == nil && r.Into != "feed" && is.Size() > largestSheet {
		text := fmt.Sprintf("the file has %d MB; a register or a target sheet has at most %d MB: load it in parts, since a row replaces only what is "+
			"known of its own subject", is.Size()>>20, int64(largestSheet)>>20)
		return in, &Refusal{File: r.File, Count: 1, Cut: true, Faults: []Fault{{Text: text}}}
	}
	r.doubts = &doubts{ahead: book.Calendar.Today(s.now()) + farAhead}
	sum := sha256.New()
	body := io.TeeReader(file, evenEnds{sum})
	err = s.store.InTx(ctx, store.LockIntake, func(tx *store.Tx) error {
		// The rulebook may be another since the file was begun.
		revision, err := tx.LatestRevision(ctx)
		if err != nil {
			return err
		}
		if book, err = s.books.Of(revision); err != nil {
			return err
		}
		if in, err = planned(book, r); err != nil {
			return err
		}
		if err := tx.NumberIntake(ctx, &in); err != nil {
			return err
		}
		write, fresh, err := s.check(ctx, tx, book, r, body, &in)
		if err != nil {
			return err
		}
		in.SHA256 = sum.Sum(nil)
		if r.Trial {
			report.Doubts = r.doubts.found
			return tell(ctx, tx, book, r, &in, fresh, report)
		}
		if len(r.doubts.found) > 0 && !r.Sure {
			return &Doubtful{r.doubts.found}
		}
		if !r.Again {
			if err := refuseAgain(ctx, tx, book, r, &in); err != nil {
				return err
			}
		}
		if err := tx.AddIntake(ctx, &in); err != nil {
			return err
		}
		return write(tx)
	})
	return in, err
}

// largestSheet bounds registers and target sheets, which are held whole while they are
// checked against what is known.
const largestSheet = 64 << 20

// check reads the file to its end and refuses it, or says how its rows are
// written and which subjects are new. The lines of a feed are written while
// they are read.
func (s *Service) check(ctx context.Context, tx *store.Tx, book *rulebook.Book, r Request, body io.Reader,
	in *store.Intake) (write func(tx *store.Tx) error, fresh []string, err error) {
	var refusal *Refusal
	switch r.Into {
	case "feed":
		write = func(*store.Tx) error { return nil }
		refusal, err = readFeed(ctx, tx, book, r, body, in)
	case "register":
		write, fresh, refusal, err = readRegister(ctx, tx, book.Kind(r.Name), r, body, in)
	default:
		write, refusal, err = readTargets(ctx, tx, book, book.Kind(r.Name), r, body, in)
	}
	if err == nil && refusal != nil {
		err = refusal
	}
	return write, fresh, err
}

// refuseAgain refuses what was taken in before and still counts: the same file,
// or equal lines.
func refuseAgain(ctx context.Context, tx *store.Tx, book *rulebook.Book, r Request, in *store.Intake) error {
	if before, err := tx.SameIntake(ctx, in.Into, in.Name, in.SHA256); err == nil {
		return &Again{before}
	} else if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	if r.Into != "feed" {
		return nil
	}
	equal, err := equalLines(ctx, tx, book.Feed(r.Name), in)
	if err == nil && equal != nil {
		err = equal
	}
	return err
}

// tell reports on a trial, and ends it.
func tell(ctx context.Context, tx *store.Tx, book *rulebook.Book, r Request, in *store.Intake, fresh []string, report *Report) (err error) {
	report.Rows, report.Subjects = in.Lines, fresh
	if r.Into == "feed" && len(in.Months) > 0 {
		f := book.Feed(r.Name)
		if report.Equal, err = equalLines(ctx, tx, f, in); err != nil {
			return err
		}
		first, last := calendar.Month(slices.Min(in.Months))-2, calendar.Month(slices.Max(in.Months))
		if report.Months, err = tx.MonthTotals(ctx, f, in.ID, first.First(), last.Last()); err != nil {
			return err
		}
	}
	return errTrial
}

// planned is the intake that a request asks for, or why there can be none
// whatever its file holds: said before the file is heard out.
func planned(book *rulebook.Book, r Request) (store.Intake, error) {
	in := store.Intake{Into: r.Into, Name: r.Name, Mode: "append", File: r.File, Author: r.Author}
	switch r.Into {
	case "feed":
		f := book.Feed(r.Name)
		if f == nil {
			return in, unknown("feed", r.Name, book)
		}
		if r.Replace != "" {
			p, err := book.Calendar.Parse(r.Replace)
			if err != nil {
				return in, fmt.Errorf("%w: %s", ErrBadRequest, err)
			}
			if first, last := book.Calendar.Span(p); first < firstDay || last > lastDay {
				return in, fmt.Errorf("%w: %s lies outside %s to %s", ErrBadRequest, r.Replace, firstDay, lastDay)
			}
			period := book.Calendar.String(p)
			in.Mode, in.Period = "replace", &period
		}
		if r.Correct != "" {
			if r.Replace != "" {
				return in, fmt.Errorf("%w: lines are replaced by period or corrected by key, not both", ErrBadRequest)
			}
			if !slices.Contains(f.Notes, r.Correct) {
				return in, fmt.Errorf("%w: the feed %s has no note column %q to correct by%s", ErrBadRequest, f.Name, r.Correct, lang.Suggestion(r.Correct, f.Notes))
			}
			in.Mode = "correct"
		}
	case "register", "targets":
		if book.Kind(r.Name) == nil {
			return in, unknown("kind", r.Name, book)
		}
		if r.Replace != "" || r.Correct != "" {
			return in, fmt.Errorf("%w: only the lines of a feed are replaced or corrected; a register or target sheet replaces row by row", ErrBadRequest)
		}
	default:
		return in, fmt.Errorf("%w: %q is neither feed, register nor targets", ErrBadRequest, r.Into)
	}
	return in, nil
}

// heardOut is a body as a file, read to its end: a slow sender then keeps
// nobody waiting for the lock, and is there for the answer. What is a file is
// left as it is.
func heardOut(body io.Reader) (file *os.File, done func(), err error) {
	if file, ok := body.(*os.File); ok {
		return file, func() {}, nil
	}
	file, err = os.CreateTemp("", "oskel-intake-")
	if err != nil {
		return nil, nil, err
	}
	done = func() { file.Close() } //nolint:errcheck // it was only read
	// Without a name it is gone with the process, however that ends.
	if err = os.Remove(file.Name()); err != nil {
		done()
		return nil, nil, err
	}
	if _, err = io.Copy(file, body); err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		done()
		return nil, nil, fmt.Errorf("reading the file: %w", err)
	}
	return file, done, nil
}

func unknown(what, name string, book *rulebook.Book) error {
	known := []string{}
	for _, f := range book.Feeds {
		if what == "feed" {
			known = append(known, f.Name)
		}
	}
	for _, k := range book.Kinds {
		if what == "kind" {
			known = append(known, k.Name)
		}
	}
	return fmt.Errorf("%w %s %q; the rulebook declares %v", ErrUnknown, what, name, known)
}

// All lists all intakes, the newest first.
func (s *Service) All(ctx context.Context) ([]store.Intake, error) { return s.store.Intakes(ctx) }

// TakeBack takes an intake back; the taking back is an intake of its own, so
// that what past sweeps saw can still be read.
func (s *Service) TakeBack(ctx context.Context, id int64, author string) (store.Intake, error) {
	_, book, err := s.books.Published(ctx)
	if err != nil {
		return store.Intake{}, err
	}
	var by store.Intake
	err = s.store.InTx(ctx, store.LockIntake, func(tx *store.Tx) error {
		in, err := tx.Intake(ctx, id)
		switch {
		case err != nil:
			return err
		case in.Into == "revert":
			return fmt.Errorf("%w: intake %d is itself a revert; load the file again instead", ErrBadRequest, id)
		case in.RevertedBy != nil:
			return fmt.Errorf("%w: intake %d was already reverted by intake %d", ErrBadRequest, id, *in.RevertedBy)
		}
		later, err := tx.LaterIntakes(ctx, in)
		if err != nil {
			return err
		}
		for _, l := range later {
			if l.Into != "feed" || l.Mode != "append" && overlap(l.Months, in.Months) {
				return fmt.Errorf("%w: intake %d (%s) has since replaced some of its rows; revert that one first", ErrBadRequest, l.ID, l.File)
			}
		}
		feed := book.Feed(in.Name)
		if in.Into == "feed" && feed == nil {
			return fmt.Errorf("%w: the feed %s is no longer declared", ErrBadRequest, in.Name)
		}
		by = store.Intake{Into: "revert", Name: in.Name, Mode: "append", File: in.File, SHA256: []byte{}, Lines: in.Lines, Months: in.Months, Author: author}
		if err := tx.NumberIntake(ctx, &by); err != nil {
			return err
		}
		if err := tx.AddIntake(ctx, &by); err != nil {
			return err
		}
		return tx.TakeBack(ctx, in, by.ID)
	})
	return by, err
}

func overlap(a, b []int32) bool {
	return slices.ContainsFunc(a, func(m int32) bool { return slices.Contains(b, m) })
}

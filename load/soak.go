package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"oskel/internal/demo"
)

// soak has the demo be worked on in all ways at a modest rate for as long as is said, and
// tells each minute what the service holds: what grows without an end shows.
type soak struct {
	base, dir string
	process   *exec.Cmd
	tokens    map[string]string
	did       map[string]int
	failed    map[string]string
	answers   map[int]int // by status
	random    *rand.Rand
	lines     int   // that were loaded
	intake    int64 // the last of them
}

func soakFor(d time.Duration) {
	dir, err := os.MkdirTemp("/tmp", "oskel-soak-")
	check(err)
	check(os.Chmod(dir, 0o755))
	defer os.RemoveAll(dir)
	s := &soak{dir: dir, base: "http://127.0.0.1:8493", tokens: map[string]string{}, did: map[string]int{}, failed: map[string]string{},
		answers: map[int]int{}, random: rand.New(rand.NewPCG(1, 2))}
	s.process = exec.Command("./bin/oskel", "demo", "-data", dir, "-addr", "127.0.0.1:8493")
	out, err := s.process.StdoutPipe()
	check(err)
	s.process.Stderr = s.process.Stdout
	check(s.process.Start())
	defer func() { s.process.Process.Signal(os.Interrupt); s.process.Wait() }() //nolint:errcheck // it is gone then
	for lines := bufio.NewScanner(out); lines.Scan(); {
		if strings.Contains(lines.Text(), "Ctrl-C") {
			break
		}
	}
	go io.Copy(io.Discard, out) //nolint:errcheck // what it says after that is not wanted
	for _, name := range []string{"ines", "tor", "nell", "odo", "pim"} {
		var token struct{ Token string }
		_, body, err := s.call("", "POST", "/api/tokens", map[string]any{"name": name, "password": demo.Password})
		check(err)
		check(json.Unmarshal(body, &token))
		s.tokens[name] = token.Token
	}
	fmt.Printf("The demo, worked on in all ways for %s\n\n", d)
	fmt.Println("| minute | calls | heap MB | of it in use MB | resident MB | goroutines | descriptors | connections | database MB |\n| ---: | ---: | " +
		"---: | ---: | ---: | ---: | ---: | ---: | ---: |")
	next := time.Now()
	end := next.Add(d)
	for minute := 0; ; minute++ {
		s.sample(minute)
		if next = next.Add(time.Minute); next.After(end) {
			break
		}
		for time.Now().Before(next) {
			s.step()
			time.Sleep(100 * time.Millisecond)
		}
	}
	fmt.Println("\n| work | calls |\n| --- | ---: |")
	for name, n := range s.did {
		fmt.Printf("| %s | %d |\n", name, n)
	}
	fmt.Printf("\nAnswers by status: %v\n", s.answers)
	for name, why := range s.failed {
		fmt.Printf("%s has failed: %s\n", name, why)
	}
}

func (s *soak) call(as, method, path string, body any) (status int, answer []byte, err error) {
	var sent io.Reader
	media := "application/json"
	switch b := body.(type) {
	case nil:
	case string:
		sent, media = strings.NewReader(b), "text/csv"
	default:
		text, err := json.Marshal(b)
		check(err)
		sent = bytes.NewReader(text)
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, method, s.base+path, sent)
	check(err)
	r.Header.Set("Content-Type", media)
	if as != "" {
		r.Header.Set("Authorization", "Bearer "+s.tokens[as])
	}
	got, err := http.DefaultClient.Do(r)
	if err != nil {
		return 0, nil, err
	}
	defer got.Body.Close() //nolint:errcheck // it was read
	answer, err = io.ReadAll(got.Body)
	return got.StatusCode, answer, err
}

// step does one thing, the common ones more often.
func (s *soak) step() {
	works := []struct {
		name string
		of   int
		do   func() (int, []byte, error)
		may  []int // refusals that are right, since what it is done to is drawn
	}{
		{"the list of exceptions", 20, func() (int, []byte, error) {
			return s.call("ines", "GET", "/api/exceptions?period="+s.month()+"&sort="+s.one("grade", "subject", "stake", "beyond"), nil)
		}, nil},
		{"one exception", 10, func() (int, []byte, error) { return s.call("odo", "GET", "/api/exceptions/"+s.some(200), nil) }, nil},
		{"a table", 15, func() (int, []byte, error) {
			return s.call("odo", "GET", "/api/table?measures=revenue,margin_rate&period="+s.month()+"&by="+s.one("rep", "customer", "product"), nil)
		}, nil},
		{"a walk", 5, func() (int, []byte, error) {
			return s.call("ines", "GET", "/api/variance?measure=revenue&by=rep&parts=customer&key=R-05&period="+s.month(), nil)
		}, nil},
		{"the desk", 15, func() (int, []byte, error) {
			return s.call(s.one("odo", "nell", "pim"), "GET", "/api/cases?mine=true", nil)
		}, nil},
		{"a case", 10, func() (int, []byte, error) { return s.call("odo", "GET", "/api/cases/"+s.some(50), nil) }, nil},
		{"taking", 6, func() (int, []byte, error) { return s.act("take") }, []int{409}},
		{"putting back", 6, func() (int, []byte, error) { return s.act("return") }, []int{409}},
		{"a comment", 4, func() (int, []byte, error) {
			return s.call("tor", "POST", "/api/cases/acts",
				map[string]any{"do": "comment", "cases": []map[string]any{{"id": json.Number(s.some(50))}}, "text": "Looked at again."})
		}, nil},
		{"an export", 2, func() (int, []byte, error) {
			return s.call("ines", "GET", "/api/exceptions/file?period=2026-10&form="+s.one("csv", "xlsx", "parquet", "json"), nil)
		}, nil},
		{"a rehearsal", 2, func() (int, []byte, error) {
			return s.call("ines", "POST", "/api/rehearsals/book", map[string]any{"period": s.month()})
		}, nil},
		{"a line more, and the last one taken back", 1, s.correct, nil},
		{"a sweep", 1, func() (int, []byte, error) {
			return s.call("ines", "POST", "/api/sweeps", map[string]any{"period": "2026-10"})
		}, nil},
		{"a wrong password", 1, func() (int, []byte, error) {
			return s.call("", "POST", "/api/tokens", map[string]any{"name": "ines", "password": "not this one"})
		}, []int{401, 429}},
		{"changes, for a second", 2, s.listen, nil},
	}
	all := 0
	for _, w := range works {
		all += w.of
	}
	at := s.random.IntN(all)
	for _, w := range works {
		if at -= w.of; at >= 0 {
			continue
		}
		status, body, err := w.do()
		s.did[w.name]++
		if err != nil {
			s.failed[w.name] = err.Error()
			return
		}
		if s.answers[status]++; status >= 400 && !slices.Contains(w.may, status) {
			s.failed[w.name] = fmt.Sprintf("%d %.200s", status, body)
		}
		return
	}
}

// correct takes back the line that it loaded last, and loads another one of October.
func (s *soak) correct() (status int, body []byte, err error) {
	if s.intake > 0 {
		if status, body, err = s.call("ines", "DELETE", fmt.Sprintf("/api/intakes/%d", s.intake), nil); err != nil || status != 200 {
			return status, body, err
		}
	}
	s.lines++
	status, body, err = s.call("ines", "POST", "/api/intakes?into=feed&name=sales&file=one.csv",
		fmt.Sprintf("day,order_no,rep,customer,product,quantity,net,cost,discount,channel\n2026-10-%02d,Z%06d,R-05,C-0001,P-051,1,%d,10,0,visit\n",
			1+s.lines%28, s.lines, 100+s.lines))
	if err == nil && status == 201 {
		var in struct{ ID int64 }
		err = json.Unmarshal(body, &in)
		s.intake = in.ID
	}
	return status, body, err
}

// act does something to a case, which may be held or settled.
func (s *soak) act(do string) (int, []byte, error) {
	return s.call("tor", "POST", "/api/cases/acts", map[string]any{"do": do, "cases": []any{map[string]any{"id": 1 + s.random.IntN(50)}}})
}

// listen has the changes told for a second, and leaves.
func (s *soak) listen() (int, []byte, error) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, "GET", s.base+"/api/changes", nil)
	check(err)
	r.Header.Set("Authorization", "Bearer "+s.tokens["ines"])
	got, err := http.DefaultClient.Do(r)
	if err != nil {
		return 0, nil, err
	}
	io.Copy(io.Discard, got.Body) //nolint:errcheck // it ends with the second
	return got.StatusCode, nil, got.Body.Close()
}

func (s *soak) month() string { return fmt.Sprintf("2026-%02d", 1+s.random.IntN(10)) }

func (s *soak) some(most int) string { return strconv.Itoa(1 + s.random.IntN(most)) }

func (s *soak) one(of ...string) string { return url.QueryEscape(of[s.random.IntN(len(of))]) }

// sample prints what the service holds.
func (s *soak) sample(minute int) {
	_, text, err := s.call("ines", "GET", "/metrics", nil)
	check(err)
	told := map[string]float64{}
	for line := range strings.Lines(string(text)) {
		if name, value, two := strings.Cut(strings.TrimSpace(line), " "); two && !strings.HasPrefix(line, "#") {
			if n, err := strconv.ParseFloat(value, 64); err == nil {
				told[name] = n
			}
		}
	}
	calls := 0
	for _, n := range s.did {
		calls += n
	}
	const mb = 1 << 20
	fmt.Printf("| %d | %d | %.0f | %.0f | %.0f | %.0f | %.0f | %d | %.0f |\n", minute, calls, told["go_memstats_heap_sys_bytes"]/mb,
		told["go_memstats_heap_alloc_bytes"]/mb, told["process_resident_memory_bytes"]/mb,
		told["go_goroutines"], told["process_open_fds"], s.connections(), float64(s.size())/mb)
}

// connections counts the database's processes that serve somebody.
func (s *soak) connections() (n int) {
	text, _ := os.ReadFile(filepath.Join(s.dir, "data", "postmaster.pid"))
	server, _, _ := strings.Cut(string(text), "\n")
	all, _ := filepath.Glob("/proc/[0-9]*/cmdline")
	for _, path := range all {
		line, _ := os.ReadFile(path)
		status, _ := os.ReadFile(filepath.Join(filepath.Dir(path), "status"))
		if bytes.HasPrefix(line, []byte("postgres: oskel ")) && bytes.Contains(status, []byte("PPid:\t"+server+"\n")) {
			n++
		}
	}
	return n
}

// size is how many bytes the database takes, without its log of writes, which goes round.
func (s *soak) size() (n int64) {
	filepath.Walk(s.dir, func(path string, f os.FileInfo, err error) error { //nolint:errcheck // files that go meanwhile are not counted
		if err == nil && !f.IsDir() && strings.Contains(path, "/base/") {
			n += f.Size()
		}
		return nil
	})
	return n
}

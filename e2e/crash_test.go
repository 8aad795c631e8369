package e2e

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// A service or a PostgreSQL killed at any moment of an intake leaves all of it
// or none.
func TestKilledInTheMiddleOfAnIntake(t *testing.T) {
	binary, dir := build(t), openDir(t)
	p := serve(t, binary, dir)
	told := regexp.MustCompile(`with the password (\w+);`).FindStringSubmatch(p.log.String())
	require.NotNil(t, told, p.log.String())
	sign := func() *client.Client {
		s := &service{t: t, url: p.url, tokens: map[string]string{}}
		c, err := client.NewClient(p.url)
		require.NoError(t, err)
		return s.with(want[client.Token](t, 201)(c.CreateToken(ctx, client.NewToken{Name: "lead", Password: told[1]})).Token)
	}
	send := func(c *client.Client, into, name, body string) error {
		r, err := c.CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: client.CreateIntakeParamsInto(into), Name: name}, "text/csv", strings.NewReader(body))
		if err == nil {
			r.Body.Close()
			if r.StatusCode != 201 {
				err = fmt.Errorf("status %d", r.StatusCode)
			}
		}
		return err
	}
	c := sign()
	want[client.Revision](t, 201)(c.PublishRevision(ctx, client.NewRevision{Text: smallBook, Note: "x", BasedOn: at(0)}))
	require.NoError(t, send(c, "register", "rep", smallReps))
	require.NoError(t, send(c, "feed", "sales", smallSales))

	const rows = 60_000
	state := func(c *client.Client) (total *big.Rat, intakes int) {
		all := want[[]client.Intake](t, 200)(c.ListIntakes(ctx))
		table := want[client.Table](t, 200)(c.GetTable(ctx, &client.GetTableParams{Measures: "revenue", Period: "2026-10"}))
		return rational(t, *table.Whole[0].Exact), len(all)
	}
	rng := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 1))
	whole := 0
	for try := range 5 {
		before, intakes := state(c)
		var body strings.Builder
		body.WriteString(salesHead)
		for i := range rows {
			fmt.Fprintf(&body, "2026-10-%02d,T%d-%d,R%d,1,0.5\n", 1+i%31, try, i, 1+i%4)
		}
		done := make(chan error, 1)
		go func() { done <- send(c, "feed", "sales", body.String()) }()
		time.Sleep(time.Duration(rng.IntN(600)) * time.Millisecond)
		if try%2 == 0 {
			require.NoError(t, p.cmd.Process.Kill())
			p.cmd.Wait()
		} else {
			require.NoError(t, syscall.Kill(postmaster(t, dir), syscall.SIGKILL))
			time.Sleep(100 * time.Millisecond)
			p.cmd.Process.Kill()
			p.cmd.Wait()
		}
		told := <-done
		p = serve(t, binary, dir)
		c = sign()
		after, now := state(c)
		switch came := new(big.Rat).Sub(after, before); came.RatString() {
		case "0":
			assert.Equal(t, intakes, now)
			assert.Error(t, told, "told done, and nothing is there")
		case fmt.Sprint(rows):
			assert.Equal(t, intakes+1, now)
			whole++
		default:
			assert.Fail(t, "a part of an intake", "%s of %d rows", came, rows)
		}
	}
	t.Logf("%d of 8 intakes were whole, the others left nothing", whole)
}

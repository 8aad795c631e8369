package backup

import (
	"errors"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/store"
)

// An entry of a dump is this program's, a job's that waits, or nobody's: by its sort, its
// schema and its name, not by what its name begins with.
func TestWhoseAnEntryIs(t *testing.T) {
	for what, whose := range map[string]origin{
		"TABLE public cases owner":                      ours,
		"TABLE DATA public cases owner":                 ours,
		"TABLE public cases_too owner":                  foreign,
		"TABLE feeds sales owner":                       ours,
		"TABLE ATTACH feed_months sales_2026_10 owner":  ours,
		"INDEX public cases_by_desk owner":              ours,
		"SEQUENCE SET public cases_id_seq owner":        ours,
		"SEQUENCE OWNED BY public cases_id_seq owner":   ours,
		"VIEW public exception_versions owner":          ours,
		"VIEW public more owner":                        foreign,
		"VIEW reporting findings owner":                 ours,
		"SCHEMA - reporting owner":                      ours,
		"SCHEMA - elsewhere owner":                      foreign,
		"FUNCTION public tell_changed() owner":          ours,
		"FUNCTION public tell_changed(text) owner":      foreign,
		"FUNCTION public other() owner":                 foreign,
		"FUNCTION reporting number(text) owner":         ours,
		"FUNCTION reporting":                            foreign,
		"TYPE public mood owner":                        foreign,
		"TABLE " + store.QueueSchema + " river_job own": queued,
		"EXTENSION - plpython3u owner":                  foreign,
		"EVENT TRIGGER - all owner":                     foreign,
		"PROCEDURE public do() owner":                   foreign,
		"FOREIGN TABLE public cases owner":              foreign,
		"":                                              foreign,
	} {
		assert.Equal(t, whose, made(what), what)
	}
}

// A script's statements and rows come in their order; what is for the client alone, such as
// a command of the shell, does not come at all.
func TestAScriptIsPlayed(t *testing.T) {
	run := func(script string, fails error) (said []string, err error) {
		err = play(strings.NewReader(script), func(sql string) error {
			if sql = strings.TrimSpace(sql); sql != "" {
				said = append(said, "run "+sql)
			}
			return nil
		}, func(sql string, rows io.Reader) error {
			all, err := io.ReadAll(rows)
			said = append(said, sql+" <- "+string(all))
			return errors.Join(err, fails)
		})
		return said, err
	}
	said, err := run("create table a ();\n\\! touch /tmp/x\nCOPY public.a (b) FROM stdin;\n1\n\\\\.\n\\N\n\\.\nselect 1;\nselect 2;", nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"run create table a ();", "COPY public.a (b) FROM stdin <- 1\n\\\\.\n\\N\n", "run select 1;\nselect 2;"}, said)

	said, err = run("COPY public.a (b) FROM stdin;\n\\.\n", nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"COPY public.a (b) FROM stdin <- "}, said, "no rows")

	_, err = run("COPY public.a (b) FROM stdin;\n1\n2\n", nil)
	assert.ErrorContains(t, err, "do not end")
	said, err = run("COPY public.a (b) FROM stdin;\n1\n\\.\nselect 1;\n", io.ErrClosedPipe)
	assert.ErrorIs(t, err, io.ErrClosedPipe)
	assert.Len(t, said, 1, "nothing after what failed")
}

package cli

import (
	"context"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"oskel/internal/client"
)

var casePartCommands = []command{
	{
		name: "attach", args: "CASE FILE ...", short: "attach files to a case: 10 MB each at most",
		long:    "What may be attached is known by the ending of its name and by its content: pdf, png, jpg,\ntxt, csv, eml, xlsx, docx, pptx, ods and odt.",
		example: "oskel attach 12 invoice.pdf",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) < 2 {
					return usagef("expected the number of a case and one or several files")
				}
				id, err := idArg(args[:1], "case")
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				all := []client.CaseFile{}
				for _, path := range args[1:] {
					f, err := attach(ctx, e, c, id, path)
					if err != nil {
						return err
					}
					all = append(all, f)
				}
				return showFiles(e, all)
			}
		},
	},
	{
		name: "case-file", args: "CASE FILE", short: "fetch a file of a case by its number",
		example: "oskel case-file -o invoice.pdf 12 3",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			to := f.String("o", "", "write it to this `file`; else it is printed")
			return func(ctx context.Context, args []string) error {
				of, id, err := fileArgs(args)
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.GetCaseFile(ctx, of, id)
				if err != nil || r.StatusCode != http.StatusOK {
					_, err = read[struct{}](e, r, err)
					return err
				}
				defer r.Body.Close() //nolint:errcheck // it was only read
				if *to == "" {
					_, err = io.Copy(e.out, r.Body)
					return err
				}
				return writeFile(*to, func(w io.Writer) error { _, err := io.Copy(w, r.Body); return err })
			}
		},
	},
	{
		name: "drop-file", args: "CASE FILE", short: "take a file of yours away from a case, or as a lead anybody's",
		example: "oskel drop-file 12 3",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				of, id, err := fileArgs(args)
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.DropCaseFile(ctx, of, id)
				if _, err := read[struct{}](e, r, err); err != nil {
					return err
				}
				e.say("File %d of case %d is gone; its name stays in the trail.\n", id, of)
				return nil
			}
		},
	},
	{
		name: "to-do", args: "CASE TEXT", short: "add what is to be done about a case by a day",
		example: "oskel to-do -by 2026-12-01 12 \"Ask for the signed contract\"\noskel to-do -by 2026-12-01 -who ines 12 \"Load the missing returns\"",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			by := f.String("by", "", "by this `day` (required)")
			var ask client.NewTodo
			stringFlag(f, &ask.Owner, "who", "the account of this `person`; you, unless stated")
			return func(ctx context.Context, args []string) error {
				var due *openapi_types.Date
				if err := dayFlag(*by, "-by", &due); err != nil {
					return err
				}
				if due == nil || len(args) < 2 {
					return usagef("expected -by DAY, the number of a case and what is to be done")
				}
				id, err := idArg(args[:1], "case")
				if err != nil {
					return err
				}
				ask.Due, ask.Text = *due, strings.Join(args[1:], " ")
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.AddTodo(ctx, id, ask)
				t, err := read[client.Todo](e, r, err)
				if err != nil {
					return err
				}
				return showTodos(e, []client.Todo{t})
			}
		},
	},
	{
		name: "to-dos", lists: true, short: "what you are to do about cases, or everybody is, by day",
		example: "oskel to-dos\noskel to-dos -everybody",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			all := f.Bool("everybody", false, "everybody's")
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				list, err := allOf(func(skip int) ([]client.Todo, error) {
					r, err := c.ListTodos(ctx, &client.ListTodosParams{Everybodys: all, Skip: &skip})
					return read[[]client.Todo](e, r, err)
				})
				if err != nil {
					return err
				}
				return showTodos(e, list)
			}
		},
	},
	{
		name: "done", args: "TO-DO", short: "say that a to-do is done, or with -not that it is not",
		example: "oskel done 7\noskel done -not 7",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			not := f.Bool("not", false, "it is not done")
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "to-do")
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.TickTodo(ctx, id, client.TodoTick{Done: !*not})
				t, err := read[client.Todo](e, r, err)
				if err != nil {
					return err
				}
				return showTodos(e, []client.Todo{t})
			}
		},
	},
	{
		name: "drop-to-do", args: "TO-DO", short: "take a to-do away",
		example: "oskel drop-to-do 7",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "to-do")
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.DropTodo(ctx, id)
				if _, err := read[struct{}](e, r, err); err != nil {
					return err
				}
				e.say("To-do %d is gone.\n", id)
				return nil
			}
		},
	},
	{
		name: "notices", lists: true, short: "what you were told of cases: named, asked, handed over, reminded",
		long:    "What is shown counts as seen, unless it is kept new.",
		example: "oskel notices\noskel notices -all\noskel notices -keep-new -format json",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			all := f.Bool("all", false, "what you have seen too")
			keep := f.Bool("keep-new", false, "they stay new")
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				unseen := !*all
				list, err := allOf(func(skip int) ([]client.Notice, error) {
					r, err := c.ListNotices(ctx, &client.ListNoticesParams{Unseen: &unseen, Skip: &skip})
					page, err := read[client.Notices](e, r, err)
					return page.Items, err
				})
				if err != nil {
					return err
				}
				var rows [][]string
				for _, n := range list {
					news := "new"
					if n.Seen {
						news = ""
					}
					at := n.At.Local().Format("2 Jan 2006 15:04")
					if e.format == "csv" {
						at = n.At.UTC().Format("2006-01-02T15:04:05Z")
					}
					rows = append(rows, []string{strconv.FormatInt(n.Case, 10), at, n.By, n.What, n.Name, n.Text, news})
				}
				if err := e.show(list, []column{{head: "case", right: true}, {head: "at"}, {head: "by"}, {head: "what"}, {head: "about"}, {head: "text", wrap: true}, {head: "new"}}, rows); err != nil {
					return err
				}
				if len(list) == 0 || *keep {
					return nil
				}
				r, err := c.SeeNotices(ctx, client.NoticesSeen{UpTo: list[0].Id})
				_, err = read[struct{}](e, r, err)
				return err
			}
		},
	},
}

// allOf asks page after page until there are no more.
func allOf[T any](page func(skip int) ([]T, error)) ([]T, error) {
	all := []T{}
	for {
		more, err := page(len(all))
		if all = append(all, more...); err != nil || len(more) == 0 {
			return all, err
		}
	}
}

func fileArgs(args []string) (of, id int64, err error) {
	if len(args) != 2 {
		return 0, 0, usagef("expected the number of a case and that of a file")
	}
	if of, err = idArg(args[:1], "case"); err != nil {
		return 0, 0, err
	}
	id, err = idArg(args[1:], "file")
	return of, id, err
}

func attach(ctx context.Context, e *env, c *client.Client, id int64, path string) (client.CaseFile, error) {
	var out client.CaseFile
	file, err := os.Open(path)
	if err != nil {
		return out, fmt.Errorf("reading the file: %w", err)
	}
	defer file.Close() //nolint:errcheck // it was only read
	info, err := file.Stat()
	if err != nil || !info.Mode().IsRegular() {
		return out, fmt.Errorf("%s is not a file that can be read", path)
	}
	r, err := c.AddCaseFileWithBody(ctx, id, &client.AddCaseFileParams{Name: filepath.Base(path)}, "application/octet-stream", file, func(_ context.Context, r *http.Request) error {
		r.ContentLength = info.Size()
		return nil
	})
	return read[client.CaseFile](e, r, err)
}

func sizeWords(bytes int) string {
	if bytes < 1<<20 {
		return fmt.Sprintf("%d kB", (bytes+1023)>>10)
	}
	return fmt.Sprintf("%.1f MB", float64(bytes)/(1<<20))
}

func showFiles(e *env, all []client.CaseFile) error {
	var rows [][]string
	for _, f := range all {
		rows = append(rows, []string{strconv.FormatInt(f.Id, 10), f.Name, f.Media, sizeWords(f.Size), f.By})
	}
	return e.show(all, []column{{head: "file", right: true}, {head: "name"}, {head: "media"}, {head: "size", right: true}, {head: "by"}}, rows)
}

func showTodos(e *env, all []client.Todo) error {
	var rows [][]string
	for _, t := range all {
		due, done := t.Due.Format("2 Jan 2006"), ""
		switch {
		case e.format == "csv":
			due = t.Due.Format("2006-01-02")
		case t.Late:
			due += " late"
		}
		if t.DoneBy != nil {
			done = "by " + *t.DoneBy
		}
		rows = append(rows, []string{strconv.FormatInt(t.Id, 10), due, t.Owner, strconv.FormatInt(t.Case, 10), t.Name, t.Text, done})
	}
	return e.show(all, []column{{head: "to-do", right: true}, {head: "due"}, {head: "who"}, {head: "case", right: true}, {head: "about"}, {head: "text", wrap: true}, {head: "done"}}, rows)
}

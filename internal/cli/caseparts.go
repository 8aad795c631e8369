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
		name: "case attach", args: "CASE FILE ...", short: "attach files to a case: 10 MB each at most",
		long:    "What may be attached is known by the ending of its name and by its content: pdf, png, jpg,\ntxt, csv, eml, xlsx, docx, pptx, ods and odt.",
		example: "oskel case attach 12 invoice.pdf",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) < 2 {
					return usagef("expected the number of a case and one or several files")
				}
				id, err := idArg(args[:1], "case")
				if err != nil {
					return err
				}
				all := []client.CaseFile{}
				for _, path := range args[1:] {
					f, err := attach(ctx, e, id, path)
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
		name: "case file", args: "CASE FILE", short: "download a file of a case",
		example: "oskel case file -o invoice.pdf 12 3",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			to := f.String("o", "", "write it to this `file`; else it is printed")
			return func(ctx context.Context, args []string) error {
				of, id, err := fileArgs(args)
				if err != nil {
					return err
				}
				r, err := e.client.GetCaseFile(ctx, of, id)
				if err != nil || r.StatusCode != http.StatusOK {
					_, err = readAnswer[struct{}](e, r, err)
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
		name: "case remove-file", args: "CASE FILE", short: "remove a file of yours from a case, or any (leads only)",
		example: "oskel case remove-file 12 3",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				of, id, err := fileArgs(args)
				if err != nil {
					return err
				}
				if _, err := read[struct{}](e)(e.client.RemoveCaseFile(ctx, of, id)); err != nil {
					return err
				}
				e.printf("Removed file %d of case %d; its name stays in the history.\n", id, of)
				return nil
			}
		},
	},
	{
		name: "todo add", args: "CASE TEXT", short: "add a to-do to a case",
		example: "oskel todo add -by 2026-12-01 12 \"Ask for the signed contract\"\noskel todo add -by 2026-12-01 -who ines 12 \"Load the missing returns\"",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			by := f.String("by", "", "by this `day` (required)")
			var ask client.NewTodo
			stringFlag(f, &ask.Owner, "who", "the account of this `person`; default: you")
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
				t, err := read[client.Todo](e)(e.client.AddTodo(ctx, id, ask))
				if err != nil {
					return err
				}
				return showTodos(e, []client.Todo{t})
			}
		},
	},
	{
		name: "todo list", lists: true, short: "list your to-dos, or those of all, by day",
		example: "oskel todo list\noskel todo list -all",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			all := f.Bool("all", false, "those of all people")
			return func(ctx context.Context, _ []string) error {
				list, err := allOf(func(skip int) ([]client.Todo, error) {
					return read[[]client.Todo](e)(e.client.ListTodos(ctx, &client.ListTodosParams{All: all, Skip: &skip}))
				})
				if err != nil {
					return err
				}
				return showTodos(e, list)
			}
		},
	},
	{
		name: "todo done", args: "TO-DO", short: "mark a to-do as done, or with -not as not done",
		example: "oskel todo done 7\noskel todo done -not 7",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			not := f.Bool("not", false, "mark it as not done")
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "to-do")
				if err != nil {
					return err
				}
				t, err := read[client.Todo](e)(e.client.UpdateTodo(ctx, id, client.TodoTick{Done: !*not}))
				if err != nil {
					return err
				}
				return showTodos(e, []client.Todo{t})
			}
		},
	},
	{
		name: "todo remove", args: "TO-DO", short: "remove a to-do",
		example: "oskel todo remove 7",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "to-do")
				if err != nil {
					return err
				}
				if _, err := read[struct{}](e)(e.client.RemoveTodo(ctx, id)); err != nil {
					return err
				}
				e.printf("Removed to-do %d.\n", id)
				return nil
			}
		},
	},
	{
		name: "notifications", lists: true, short: "list your notifications: mentions, questions, hand-overs, reminders",
		long:    "Notifications that are shown are marked as read, except with -keep-unread.",
		example: "oskel notifications\noskel notifications -all\noskel notifications -keep-new -format json",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			all := f.Bool("all", false, "read ones too")
			keep := f.Bool("keep-unread", false, "do not mark them as read")
			return func(ctx context.Context, _ []string) error {
				unseen := !*all
				list, err := allOf(func(skip int) ([]client.Notification, error) {
					page, err := read[client.Notifications](e)(e.client.ListNotifications(ctx, &client.ListNotificationsParams{Unseen: &unseen, Skip: &skip}))
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
					at := e.moment(n.At)
					rows = append(rows, []string{strconv.FormatInt(n.Case, 10), at, n.By, n.Words, n.Name, n.Text, news})
				}
				if err := e.show(list, []column{{head: "case", right: true}, {head: "at"}, {head: "by"}, {head: "what"}, {head: "about"},
					{head: "text", wrap: true}, {head: "new"}}, rows); err != nil {
					return err
				}
				if len(list) == 0 || *keep {
					return nil
				}
				_, err = read[struct{}](e)(e.client.MarkNotificationsRead(ctx, client.NotificationsRead{UpTo: list[0].Id}))
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

func attach(ctx context.Context, e *env, id int64, path string) (client.CaseFile, error) {
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
	r, err := e.client.AddCaseFileWithBody(ctx, id, &client.AddCaseFileParams{Name: filepath.Base(path)}, "application/octet-stream", file,
		func(_ context.Context, r *http.Request) error {
			r.ContentLength = info.Size()
			return nil
		})
	return readAnswer[client.CaseFile](e, r, err)
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
		due, done := e.day(t.Due), ""
		if e.format == "table" && t.Late {
			due += " late"
		}
		if t.DoneBy != nil {
			done = "by " + *t.DoneBy
		}
		rows = append(rows, []string{strconv.FormatInt(t.Id, 10), due, t.Owner, strconv.FormatInt(t.Case, 10), t.Name, t.Text, done})
	}
	return e.show(all, []column{{head: "to-do", right: true}, {head: "due"}, {head: "who"}, {head: "case", right: true}, {head: "about"},
		{head: "text", wrap: true}, {head: "done"}}, rows)
}

package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// Listen tells of every change of revisions, intakes, sweeps and closings in a database,
// by the name of the table, whichever service made it, until ctx ends. After the database
// was away it tells of "all": something may have been missed.
func Listen(ctx context.Context, url string, tell func(what string)) {
	for first := true; ctx.Err() == nil; first = false {
		if !first {
			select {
			case <-time.After(time.Second):
			case <-ctx.Done():
				return
			}
		}
		listen(ctx, url, func(what string) { tell(what) })
	}
}

func listen(ctx context.Context, url string, tell func(what string)) {
	config, err := pgx.ParseConfig(WithoutPool(url))
	if err != nil {
		return
	}
	named(config)
	conn, err := pgx.ConnectConfig(ctx, config)
	if err != nil {
		return
	}
	defer conn.Close(context.WithoutCancel(ctx)) //nolint:errcheck // it is of no more use
	if _, err := conn.Exec(ctx, "listen oskel_changed"); err != nil {
		return
	}
	tell("all")
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return
		}
		tell(n.Payload)
	}
}

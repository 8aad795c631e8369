package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
)

// pools are the connections: some that only the small and quick may take, so that
// nobody's session or desk waits behind loads and sweeps, and the others for all else.
type pools struct{ main, quick *pgxpool.Pool }

// leastConnections is how many each pool has at least, unless the database's address
// says otherwise (pool_max_conns).
const leastConnections = 8

func openPools(ctx context.Context, config *pgxpool.Config) (*pools, error) {
	p := &pools{}
	for _, to := range []**pgxpool.Pool{&p.main, &p.quick} {
		own := config.Copy()
		if to == &p.quick { // by number and by desk: what to do does not hang on which
			own.ConnConfig.RuntimeParams["plan_cache_mode"] = "force_generic_plan"
		}
		one, err := pgxpool.NewWithConfig(ctx, own)
		if err != nil {
			p.close()
			return nil, fmt.Errorf("opening the database: %w", err)
		}
		*to = one
	}
	if err := p.main.Ping(ctx); err != nil {
		p.close()
		return nil, fmt.Errorf("the database does not answer; is it running, and is the address right? %w", err)
	}
	return p, nil
}

func (p *pools) close() {
	for _, one := range []*pgxpool.Pool{p.main, p.quick} {
		if one != nil {
			one.Close()
		}
	}
}

// quickly is where a context carries that its work is small.
type quickly struct{}

// WithInteractivePool marks a context's work as small: it takes the connections kept for that.
func WithInteractivePool(ctx context.Context) context.Context {
	return context.WithValue(ctx, quickly{}, true)
}

func (p *pools) of(ctx context.Context) *pgxpool.Pool {
	if ctx.Value(quickly{}) != nil {
		return p.quick
	}
	return p.main
}

func (p *pools) Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error) {
	return p.of(ctx).Query(ctx, sql, args...)
}

func (p *pools) QueryRow(ctx context.Context, sql string, args ...any) pgx.Row {
	return p.of(ctx).QueryRow(ctx, sql, args...)
}

func (p *pools) Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error) {
	return p.of(ctx).Exec(ctx, sql, args...)
}

func (p *pools) Begin(ctx context.Context) (pgx.Tx, error) { return p.of(ctx).Begin(ctx) }

// SendBatch asks several things in one round trip.
func (p *pools) SendBatch(ctx context.Context, b *pgx.Batch) error {
	return p.of(ctx).SendBatch(ctx, b).Close()
}

func (p *pools) BeginTx(ctx context.Context, options pgx.TxOptions) (pgx.Tx, error) {
	return p.of(ctx).BeginTx(ctx, options)
}

package e2e

import (
	"database/sql"
	"fmt"
	"strings"
	"testing"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/store"
)

// A subject column added to a feed that has lines: the lines of before have no
// subject there, and everything goes on.
func TestASubjectColumnAddedToAFeedWithLines(t *testing.T) {
	t.Parallel()
	s := small(t)
	wider := strings.NewReplacer(
		"kinds:\n", "kinds:\n  customer: {title: Customer}\n",
		"subjects: {rep: rep}", "subjects: {rep: rep, customer: customer}",
		"    title: Gone quiet\n    judges: rep\n", "    title: Gone quiet\n    judges: customer\n").Replace(smallBook)
	s.publish(wider, 1)
	assert.Equal(t, "1999.9999", s.revenue("2026-10"))
	s.load("register", "customer", "customer,name\nC1,Corner Shop\nC2,Pier Shop\n")
	s.load("feed", "sales", "day,order_no,rep,customer,net,cost\n2026-10-20,A9,R1,C1,10,5\n")
	assert.Equal(t, "2009.9999", s.revenue("2026-10"))
	s.sweep("2026-10")
	ana := s.as("ana")
	table := want[client.Table](t, 200)(ana.GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: ptr("customer"), Period: "2026-10"}))
	for _, r := range table.Rows {
		assert.Contains(t, []string{"C1", "C2"}, r.Key, "there is no customer without a key")
	}
	for _, by := range []string{"rep", "rep x customer", "whole"} {
		want[client.Table](t, 200)(ana.GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: ptr(by), Period: "2026-10"}))
	}
	parts := want[client.Parts](t, 200)(ana.GetBreakdown(ctx, &client.GetBreakdownParams{Measure: "revenue", By: ptr("rep"), Key: ptr("R1"), Period: "2026-10"}))
	assert.Len(t, parts.Lines, 3)
	// A second service reads the same.
	assert.Equal(t, "2009.9999", s.beside(t).revenue("2026-10"))
}

// A feed may be called as another's month is; their lines do not meet.
func TestAFeedCalledLikeAnothersMonth(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.NewReplacer(
		"grades:\n", "  sales_2026_11: {title: Other lines, date: day, subjects: {rep: rep}, numbers: {net: money, cost: money}, notes: [order_no]}\ngrades:\n",
		"rules:\n", "  others: {title: Others, sum: sales_2026_11.net, unit: money}\nrules:\n").Replace(smallBook), 1)
	s.load("feed", "sales", salesHead+"2026-11-02,A7,R1,50,40\n")
	s.load("feed", "sales_2026_11", salesHead+"2026-11-02,B1,R1,7,4\n2026-11-02,B2,R1,7,4\n")
	assert.Equal(t, "50", s.revenue("2026-11"))
	table := want[client.Table](t, 200)(s.as("ana").GetTable(ctx, &client.GetTableParams{Measures: "others", By: ptr("whole"), Period: "2026-11"}))
	assert.Equal(t, "14", table.Whole[0].Text)
}

// Taking an intake back gives back what it replaced, with the columns that the
// rulebook no longer declares.
func TestTakingBackKeepsEveryColumn(t *testing.T) {
	t.Parallel()
	s := small(t)
	replaced := s.load("feed", "sales", salesHead+"2026-10-05,B1,R1,1,1\n", replace("2026-10"))
	without := strings.NewReplacer(", cost: money", "", "  cost: {title: Cost, sum: sales.cost, unit: money}\n", "", "(revenue - cost) / revenue",
		"revenue / revenue").Replace(smallBook)
	s.publish(without, 1)
	want[client.Intake](t, 200)(s.as("ana").RevertIntake(ctx, replaced.Id))
	s.publish(smallBook, 2)
	table := want[client.Table](t, 200)(s.as("ana").GetTable(ctx,
		&client.GetTableParams{Measures: "cost", By: ptr("rep"), Period: "2026-10", Sort: at(0), Descending: ptr(false)}))
	require.NotEmpty(t, table.Rows)
	assert.Equal(t, "780", table.Rows[0].Cells[0].Text)
}

// As of an earlier data version there are only the subjects of then.
func TestAnEarlierVersionHasItsSubjects(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.load("register", "rep", "rep,name,territory\nR9,Elmo Made-Up,North\n")
	keys := func(version *int64) (out []string) {
		table := want[client.Table](t, 200)(s.as("ana").GetTable(ctx,
			&client.GetTableParams{Measures: "coalesce(revenue, 0)", By: ptr("rep"), Period: "2026-10", Version: version}))
		for _, r := range table.Rows {
			out = append(out, r.Key)
		}
		return out
	}
	assert.Contains(t, keys(nil), "R9")
	assert.NotContains(t, keys(ptr(int64(3))), "R9")
}

// A blank active_to in a dated row opens what an earlier row ended.
func TestABlankEndOpensAgain(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.load("register", "rep", "rep,name,territory,active_from,active_to,valid_from\nR4,Dora Made-Up,South,2026-10-01,,2026-10-01\n")
	s.sweep("2026-10")
	assert.Contains(t, s.exceptions("2026-10"), "behind R4", "R4 works again and lacks a target")
	s.sweep("2026-09")
	assert.NotContains(t, s.exceptions("2026-09"), "behind R4", "in September it did not")
}

// Pairs are told apart whatever their keys look like.
func TestPairsWithAwkwardKeys(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.NewReplacer("kinds:\n", "kinds:\n  shop: {title: Shop}\n", "subjects: {rep: rep}", "subjects: {rep: rep, shop: shop}").Replace(smallBook), 1)
	s.load("register", "rep", "rep,name,territory\nA,First,North\nA x 2,Second,North\n")
	s.load("register", "shop", "shop,name\n4,Four\n2 x 4,Two by four\n")
	s.load("feed", "sales", "day,order_no,rep,shop,net,cost\n2026-11-02,A1,A,2 x 4,10,5\n2026-11-02,A2,A x 2,4,20,5\n")
	table := want[client.Table](t, 200)(s.as("ana").GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: ptr("rep x shop"), Period: "2026-11"}))
	require.Len(t, table.Rows, 2)
	assert.NotEqual(t, table.Rows[0].Key, table.Rows[1].Key)
	for _, r := range table.Rows {
		parts := want[client.Parts](t, 200)(s.as("ana").GetBreakdown(ctx,
			&client.GetBreakdownParams{Measure: "revenue", By: ptr("rep x shop"), Key: ptr(r.Key), Period: "2026-11"}))
		assert.Equal(t, r.Cells[0].Text, parts.Cell.Text, r.Key)
		assert.Len(t, parts.Lines, 1)
	}
}

// One figure's lines come a page at a time, and add up.
func TestLinesBehindAFigureArePaged(t *testing.T) {
	t.Parallel()
	s := small(t)
	var file strings.Builder
	file.WriteString(salesHead)
	for i := range 1234 {
		fmt.Fprintf(&file, "2026-11-%02d,N%d,R1,1.0001,1\n", 1+i%28, i)
	}
	s.load("feed", "sales", file.String())
	seen, cursor := map[string]bool{}, (*string)(nil)
	for range 20 {
		p := want[client.Parts](t, 200)(s.as("ana").GetBreakdown(ctx,
			&client.GetBreakdownParams{Measure: "revenue", By: ptr("rep"), Key: ptr("R1"), Period: "2026-11", Cursor: cursor}))
		assert.LessOrEqual(t, len(p.Lines), 500)
		assert.Contains(t, p.Cell.Text, "1,234")
		for _, l := range p.Lines {
			seen[strings.Join(l, "|")] = true
		}
		if cursor = p.Next; cursor == nil {
			break
		}
	}
	assert.Len(t, seen, 1234)
}

// A database as it stood before the months of feeds had a place of their own
// is brought along with what it holds.
func TestADatabaseOfBeforeIsBroughtAlong(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.load("register", "rep", "rep,name,territory\nR9,Elmo Made-Up,North\n")
	db, err := sql.Open("pgx", s.database)
	require.NoError(t, err)
	defer db.Close()
	months := func() (n int) {
		require.NoError(t, db.QueryRow(`select count(*) from pg_tables where schemaname = 'feed_months'`).Scan(&n))
		return n
	}
	assert.Equal(t, 2, months(), "September and October")
	provider, err := goose.NewProvider(goose.DialectPostgres, db, store.Migrations())
	require.NoError(t, err)
	_, err = provider.DownTo(ctx, 5)
	require.NoError(t, err)
	after := s.beside(t)
	assert.Equal(t, 2, months())
	assert.Equal(t, "1999.9999", after.revenue("2026-10"))
	after.load("feed", "sales", salesHead+"2026-11-02,A7,R1,50,40\n")
	assert.Equal(t, "50", after.revenue("2026-11"))
	table := want[client.Table](t, 200)(after.as("ana").GetTable(ctx,
		&client.GetTableParams{Measures: "revenue", By: ptr("rep"), Period: "2026-10", Version: ptr(int64(3))}))
	for _, r := range table.Rows {
		assert.NotEqual(t, "R9", r.Key, "it came later")
	}
}

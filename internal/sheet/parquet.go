package sheet

import (
	"io"
	"slices"
	"strconv"
	"time"

	"github.com/parquet-go/parquet-go"

	"oskel/core/amount"
)

// Parquet writes texts, days, integers, and numbers as decimals of four places, in the order
// of the columns; null where there is none. A name that comes twice is numbered.
func (s Sheet) Parquet(out io.Writer) error { return Parquet(out, s.Columns, once(s.Rows)) }

// Parquet writes rows that come page by page; no rows are the end.
func Parquet(out io.Writer, columns []Column, page func() ([][]string, error)) error {
	group, names := parquet.Group{}, make([]string, len(columns))
	for i, c := range columns {
		names[i] = c.Name
		for n := 2; group[names[i]] != nil; n++ {
			names[i] = c.Name + " " + strconv.Itoa(n)
		}
		switch c.Kind {
		case Text:
			group[names[i]] = parquet.Optional(parquet.String())
		case Day:
			group[names[i]] = parquet.Optional(parquet.Date())
		case Whole:
			group[names[i]] = parquet.Optional(parquet.Int(64))
		default:
			group[names[i]] = parquet.Optional(parquet.Decimal(4, 18, parquet.Int64Type))
		}
	}
	schema := parquet.NewSchema("table", inOrder(group, names))
	place := map[string]int{}
	for i, column := range schema.Columns() {
		place[column[0]] = i
	}
	w := parquet.NewWriter(out, schema)
	for {
		rows, err := page()
		if err != nil {
			return err
		}
		if len(rows) == 0 {
			return w.Close()
		}
		for _, cells := range rows {
			row := make(parquet.Row, len(names))
			for i, text := range cells {
				at := place[names[i]]
				row[at] = parquetValue(columns[i].Kind, text).Level(0, 1, at)
				if row[at].IsNull() {
					row[at] = parquet.NullValue().Level(0, 0, at)
				}
			}
			if _, err := w.WriteRows([]parquet.Row{row}); err != nil {
				return err
			}
		}
	}
}

// ordered is a group whose columns are in an order of their own, not in that of their names.
type ordered struct {
	parquet.Group
	fields []parquet.Field
}

// Fields implements parquet.Node.
func (o ordered) Fields() []parquet.Field { return o.fields }

func inOrder(group parquet.Group, names []string) parquet.Node {
	out := ordered{Group: group}
	fields := group.Fields()
	for _, name := range names {
		i := slices.IndexFunc(fields, func(f parquet.Field) bool { return f.Name() == name })
		out.fields = append(out.fields, fields[i])
	}
	return out
}

func parquetValue(kind Kind, text string) parquet.Value {
	switch kind {
	case Text:
		if text != "" {
			return parquet.ByteArrayValue([]byte(text))
		}
	case Day:
		if day, err := time.Parse(time.DateOnly, text); err == nil {
			return parquet.Int32Value(int32(day.Unix() / (24 * 60 * 60)))
		}
	case Whole:
		if n, err := strconv.ParseInt(text, 10, 64); err == nil {
			return parquet.Int64Value(n)
		}
	default:
		if a, err := amount.Parse(text); err == nil {
			return parquet.Int64Value(int64(a))
		}
	}
	return parquet.NullValue()
}

package ledger

// With is the chunk with more lines of its month, in the same columns: those of a day stand
// behind the ones that are there.
func (c *Chunk) With(more *Chunk) *Chunk {
	out := &Chunk{Month: c.Month}
	for day := range out.Days.through {
		out.Days.through[day] = c.Days.through[day] + more.Days.through[day]
	}
	out.Subjects = withMore(c, more, c.Subjects, more.Subjects)
	out.Numbers = withMore(c, more, c.Numbers, more.Numbers)
	out.Labels = withMore(c, more, c.Labels, more.Labels)
	return out
}

func withMore[T any](c, more *Chunk, columns, added [][]T) [][]T {
	out := make([][]T, len(columns))
	for k := range columns {
		out[k] = make([]T, 0, len(columns[k])+len(added[k]))
		for day := 1; day <= 31; day++ {
			out[k] = append(out[k], columns[k][c.Days.From(day):c.Days.From(day+1)]...)
			out[k] = append(out[k], added[k][more.Days.From(day):more.Days.From(day+1)]...)
		}
	}
	return out
}

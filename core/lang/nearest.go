package lang

// Nearest is the known name closest to the one given, or "" when none is
// close enough to be meant.
func Nearest(name string, known []string) string {
	best, at := "", len(name)/2+1
	for _, k := range known {
		if d := distance(name, k); d < at || d == at && best != "" && k < best {
			best, at = k, d
		}
	}
	return best
}

// distance counts the insertions, deletions and replacements between a and b
// (Levenshtein 1966).
func distance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(a); i++ {
		diagonal := row[0]
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			diagonal, row[j] = row[j], min(row[j]+1, row[j-1]+1, diagonal+cost)
		}
	}
	return row[len(b)]
}

// Suggestion is "; did you mean X?" for the nearest known name, or "".
func Suggestion(name string, known []string) string {
	if n := Nearest(name, known); n != "" {
		return "; did you mean " + n + "?"
	}
	return ""
}

package words

// Renamed is a word of rulebooks, of the command line or of the audit log that had another name before. What bears
// the old one is read as ever; the check, or the command line, says the new one.
type Renamed struct{ Of, Was, Is string }

// Renaming is every such word, by what it is a word of.
var Renaming = []Renamed{
	{"function", "place", "rank"},
	{"function", "percent_place", "percentile_rank"},
	{"function", "in_range", "range_position"},
	{"function", "apart", "score"},
	{"function", "off_usual", "history_score"},
	{"function", "off_trend", "trend_score"},
	{"function", "drawn_in", "credibility"},
	{"function", "overall", "group_value"},
	{"function", "filled", "coalesce"},

	{"method", "smoothed average", "EWMA"},
	{"method", "cumulative sum", "CUSUM"},
	{"method", "false discoveries", "false discovery rate"},
	{"method", "best or worst", "top or bottom"},
	{"method", "off trend", "deviation from trend"},

	{"run rule", "beyond", "beyond 3 sigma"},
	{"run rule", "steady", "trend"},
	{"run rule", "two of three", "2 of 3"},
	{"run rule", "four of five", "4 of 5"},
	{"run rule", "close", "within 1 sigma"},
	{"run rule", "apart", "beyond 1 sigma"},

	{"key", "so_far", "to_date"},
	{"figure of an example", "yardstick", "comparison"},
	{"figure of an example", "place", "rank"},

	{"operation", "UseWord", "UseOneTimePassword"},
	{"operation", "MakeWord", "ResetPassword"},
	{"operation", "TurnDial", "ChangeDial"},
	{"operation", "RestyleGrade", "ChangeGrade"},
	{"operation", "TakeBackIntake", "RevertIntake"},
	{"operation", "DropAbsence", "DeleteAbsence"},

	{"command", "doctor", "service check"},
	{"command", "backup", "service backup"},
	{"command", "restore", "service restore"},
	{"command", "audit", "service audit"},
	{"command", "clock", "service clock"},
	{"command", "token", "token add"},
	{"command", "tokens", "token list"},
	{"command", "revoke", "token revoke"},
	{"command", "people", "person list"},
	{"command", "add-person", "person add"},
	{"command", "change-person", "person change"},
	{"command", "close-person", "person close"},
	{"command", "away", "absence add"},
	{"command", "absences", "absence list"},
	{"command", "drop-absence", "absence remove"},
	{"command", "intakes", "intake list"},
	{"command", "take-back", "intake revert"},
	{"command", "data-faults", "data-issue list"},
	{"command", "mended", "data-issue close"},
	{"command", "calendar", "period calendar"},
	{"command", "measures", "rulebook measures"},
	{"command", "lines", "breakdown"},
	{"command", "moved", "variance"},
	{"command", "methods", "rulebook methods"},
	{"command", "rulebook", "rulebook show"},
	{"command", "revisions", "rulebook revisions"},
	{"command", "compare", "rulebook compare"},
	{"command", "republish", "rulebook restore"},
	{"command", "uses", "rulebook uses"},
	{"command", "dials", "dial list"},
	{"command", "turn", "dial set"},
	{"command", "grades", "grade list"},
	{"command", "restyle", "grade change"},
	{"command", "proposals", "report suggestions"},
	{"command", "sweeps", "sweep list"},
	{"command", "verify", "sweep verify"},
	{"command", "schedule", "period schedule"},
	{"command", "close", "period close"},
	{"command", "reopen", "period reopen"},
	{"command", "why", "exceptions verdicts"},
	{"command", "grid", "exceptions grid"},
	{"command", "trend", "exceptions trend"},
	{"command", "case", "case show"},
	{"command", "take", "case take"},
	{"command", "release", "case return"},
	{"command", "hand-over", "case hand-over"},
	{"command", "ask", "case ask"},
	{"command", "park", "case park"},
	{"command", "resume", "case resume"},
	{"command", "comment", "case comment"},
	{"command", "settle", "case settle"},
	{"command", "reopen-case", "case reopen"},
	{"command", "to-desk", "case open"},
	{"command", "undo", "case undo"},
	{"command", "attach", "case attach"},
	{"command", "case-file", "case file"},
	{"command", "drop-file", "case remove-file"},
	{"command", "left-in-peace", "case snoozes"},
	{"command", "end-peace", "case end-snooze"},
	{"command", "to-dos", "todo list"},
	{"command", "to-do", "todo add"},
	{"command", "done", "todo done"},
	{"command", "drop-to-do", "todo remove"},
	{"command", "notices", "notifications"},
	{"command", "findings", "report outcomes"},
	{"command", "work", "report backlog"},
	{"command", "views", "view list"},
	{"command", "keep-view", "view save"},
	{"command", "forget-view", "view delete"},

	{"flag", "title", "display-name"},
	{"flag", "keep", "save"},
	{"flag", "keep-new", "keep-unread"},
	{"flag", "everybody", "all"},
	{"flag", "try", "dry-run"},
	{"flag", "again", "allow-duplicates"},
	{"flag", "sure", "yes"},
	{"flag", "over", "force"},
	{"flag", "peace", "snooze"},
	{"flag", "so-far", "to-date"},
}

// Were are the names that a word had before.
func Were(of, word string) (out []string) {
	for _, r := range Renaming {
		if r.Of == of && r.Is == word {
			out = append(out, r.Was)
		}
	}
	return out
}

// Now is what a word is called now, and whether it had another name.
func Now(of, word string) (is string, renamed bool) {
	for _, r := range Renaming {
		if r.Of == of && r.Was == word {
			return r.Is, true
		}
	}
	return word, false
}

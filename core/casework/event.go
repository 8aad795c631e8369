package casework

// EventKind is what happened to a case: an entry of its history, or what a person is notified
// of. The contract's enums and the database's rows bear these values.
type EventKind string

// What happens to cases.
const (
	CaseOpened   EventKind = "opened"
	FlagJoined   EventKind = "joined"
	FlagCleared  EventKind = "cleared"
	CaseRegraded EventKind = "regraded"
	CaseMoved    EventKind = "moved"
	FlagLeft     EventKind = "left"
	LeftToDesk   EventKind = "left to the desk"

	CaseTaken      EventKind = "taken"
	CaseReturned   EventKind = "returned"
	CaseHandedOver EventKind = "handed over"
	CaseAsked      EventKind = "asked"
	CaseAnswered   EventKind = "answered"
	CaseCommented  EventKind = "comment"
	CaseParked     EventKind = "parked"
	CaseResumed    EventKind = "resumed"
	CaseSettled    EventKind = "settled"
	CaseReopened   EventKind = "reopened"
	ActUndone      EventKind = "undone"

	SnoozeEnded EventKind = "snooze ended"
	IssueFixed  EventKind = "data issue fixed"
	Reminded    EventKind = "reminder"
	Escalated   EventKind = "escalated"

	FileAttached EventKind = "attached"
	FileRemoved  EventKind = "file removed"
	TodoAdded    EventKind = "to-do added"
	TodoDone     EventKind = "to-do done"
	TodoReopened EventKind = "to-do reopened"
	TodoRemoved  EventKind = "to-do removed"
)

// What people are notified of beside what happens to their cases.
const (
	Mentioned EventKind = "mentioned"
	DataIssue EventKind = "data issue"
)

// eventWords says of each kind what its author did, in the history of a case and to the person
// who is notified; "" has no such entry.
var eventWords = []struct {
	Kind            EventKind
	history, notice string
}{
	{CaseOpened, "opened the case", ""},
	{FlagJoined, "added a flag", ""},
	{FlagCleared, "cleared a flag", ""},
	{CaseRegraded, "regraded the case", ""},
	{CaseMoved, "moved the case", "moved your case"},
	{FlagLeft, "moved a flag to another desk", ""},
	{LeftToDesk, "left it to the desk", ""},
	{CaseTaken, "took the case", "took your case"},
	{CaseReturned, "returned it to the desk", "returned your case to the desk"},
	{CaseHandedOver, "handed it over", "handed you a case"},
	{CaseAsked, "asked", "asked you"},
	{CaseAnswered, "answered", "answered you"},
	{CaseCommented, "commented", "commented on your case"},
	{CaseParked, "parked it", "parked your case"},
	{CaseResumed, "resumed it", "resumed your case"},
	{CaseSettled, "settled it", "settled your case"},
	{CaseReopened, "reopened it", "reopened your case"},
	{ActUndone, "undid", ""},
	{SnoozeEnded, "ended the snooze", ""},
	{IssueFixed, "fixed the data issue", "fixed the data issue"},
	{Reminded, "sent a reminder", "reminds you"},
	{Escalated, "escalated it", "escalated a late case"},
	{FileAttached, "attached a file", "attached a file to your case"},
	{FileRemoved, "removed a file", ""},
	{TodoAdded, "added a to-do", "gave you a to-do"},
	{TodoDone, "finished a to-do", "finished a to-do of yours"},
	{TodoReopened, "reopened a to-do", "reopened a to-do of yours"},
	{TodoRemoved, "removed a to-do", ""},
	{Mentioned, "", "mentioned you"},
	{DataIssue, "", "reported an issue in your data"},
}

// HistoryKinds are the kinds that stand in the history of a case, NoticeKinds those that people
// are notified of.
var HistoryKinds, NoticeKinds = kinds()

func kinds() (history, notice []EventKind) {
	for _, w := range eventWords {
		if w.history != "" {
			history = append(history, w.Kind)
		}
		if w.notice != "" {
			notice = append(notice, w.Kind)
		}
	}
	return history, notice
}

// HistoryWords says what the author of an event did, as in "took the case".
func (k EventKind) HistoryWords() string {
	for _, w := range eventWords {
		if w.Kind == k {
			return w.history
		}
	}
	return string(k)
}

// NoticeWords says it to the person who is notified, as in "took your case".
func (k EventKind) NoticeWords() string {
	for _, w := range eventWords {
		if w.Kind == k {
			return w.notice
		}
	}
	return string(k)
}

// Said is what an event of the kind says beside that: what was undone is told as the history
// told it.
func (k EventKind) Said(text string) string {
	if k == ActUndone {
		return EventKind(text).HistoryWords()
	}
	return text
}

// Event is what an act leaves in the history of its case.
type Event struct {
	What EventKind
	Text string
}

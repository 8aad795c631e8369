package demo

// Story is something that was planted in the data, with the exception it
// should cause.
type Story struct {
	Title   string
	Rule    string
	Kind    string
	Key     string
	Period  string
	Outcome string // "breach", "no data", "not judged" or "clear"
	Grade   string // "" where nothing is flagged
	Why     string // of what is not judged
}

// The subjects of the stories.
const (
	slippingRep    = "R-17"
	silentRep      = "R-31"
	discountRep    = "R-08"
	strugglingRep  = "R-23"
	loadingRep     = "R-40"
	leftRep        = "R-12"
	newRep         = "R-45"
	quietCustomer  = "C-0412"
	recordCustomer = "C-0077"
	killedProduct  = "P-204"
	returnProduct  = "P-118"
	driftingRep    = "R-05"
	takingOverRep  = "R-18"
	burstCustomer  = "C-0205"
	backCustomer   = "C-0333"
	flatCategory   = "Electrics"
	steadyCategory = "Rope and rigging"
)

// Stories lists what was planted.
func Stories() []Story {
	return []Story{
		{Title: "A rep's margin slips from August on, as rush purchases drive the cost", Rule: "thin-margin", Kind: "rep", Key: slippingRep,
			Period: "2026-10", Outcome: "breach", Grade: "act"},
		{Title: "A rep has not reported in October", Rule: "nothing-reported", Kind: "rep", Key: silentRep, Period: "2026-10", Outcome: "no data", Grade: "act"},
		{Title: "A rep gives twice the discount of the others", Rule: "discount-hand", Kind: "rep", Key: discountRep, Period: "2026-10", Outcome: "breach",
			Grade: "look"},
		{Title: "A rep loses half of the October orders", Rule: "behind-target", Kind: "rep", Key: strugglingRep, Period: "2026-10", Outcome: "breach", Grade: "act"},
		{Title: "A rep loads the last five working days of September", Rule: "far-over-target", Kind: "rep", Key: loadingRep, Period: "2026-09",
			Outcome: "breach", Grade: "look"},
		{Title: "A rep left at the end of June", Rule: "nothing-reported", Kind: "rep", Key: leftRep, Period: "2026-10", Outcome: "not judged",
			Why: "not active in the period"},
		{Title: "A rep started on 1 October and has no target yet", Rule: "behind-target", Kind: "rep", Key: newRep, Period: "2026-10",
			Outcome: "not judged", Why: "no target"},
		{Title: "A boatyard that ordered every fortnight stops in July", Rule: "gone-quiet", Kind: "customer", Key: quietCustomer, Period: "2026-10",
			Outcome: "breach", Grade: "act"},
		{Title: "A harbour authority places one record order", Rule: "record-month", Kind: "customer", Key: recordCustomer, Period: "2026-10",
			Outcome: "breach", Grade: "look"},
		{Title: "A price change in July kills a product", Rule: "stopped-selling", Kind: "product", Key: killedProduct, Period: "2026-10",
			Outcome: "breach", Grade: "look"},
		{Title: "A batch of a product comes back", Rule: "coming-back", Kind: "product", Key: returnProduct, Period: "2026-10", Outcome: "breach", Grade: "act"},
		{Title: "A rep's costs creep up month by month", Rule: "margin-drift", Kind: "rep", Key: driftingRep, Period: "2026-10", Outcome: "breach", Grade: "look"},
		{Title: "A rep takes over a colleague's customers from July on, a step in the share of all", Rule: "step-in-share", Kind: "rep", Key: takingOverRep,
			Period: "2026-10", Outcome: "breach", Grade: "look"},
		{Title: "A rep loads the last five working days of September", Rule: "month-end-loading", Kind: "rep", Key: loadingRep, Period: "2026-09",
			Outcome: "breach", Grade: "look"},
		{Title: "A customer returns five lines in five days", Rule: "returns-burst", Kind: "customer", Key: burstCustomer, Period: "2026-10",
			Outcome: "breach", Grade: "act"},
		{Title: "A large order comes back ten days later", Rule: "large-order-back", Kind: "customer", Key: backCustomer, Period: "2026-10",
			Outcome: "breach", Grade: "look"},
		{Title: "A visit to the boatyard that stopped is not answered", Rule: "visit-without-order", Kind: "customer", Key: quietCustomer,
			Period: "2026-10", Outcome: "breach", Grade: "look"},
		{Title: "The laying-up offers move every category but one", Rule: "offers-moved-nothing", Kind: "product.category", Key: flatCategory,
			Period: "2026-10", Outcome: "breach", Grade: "look"},
		{Title: "A category sells least in winter, as each year", Rule: "unlike-its-year", Kind: "product.category", Key: steadyCategory, Period: "2026-01",
			Outcome: "clear"},
	}
}

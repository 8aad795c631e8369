package demo

import (
	"fmt"
	"math/rand/v2"
)

// All names are made of parts that nobody bears.
var (
	firstNames = []string{"Brinna", "Caldor", "Dovel", "Eddara", "Ferrow", "Gislane", "Harlun", "Iskrid", "Jorund", "Keldra", "Lornic", "Marisel",
		"Nessary", "Orrindo", "Pellam", "Quistin", "Runaveth", "Sorrelin", "Tarnis", "Ullane", "Vennick", "Wyllum", "Yarrowin", "Zephra"}
	lastNames = []string{"Tidewick", "Saltmarrow", "Keelbury", "Rudderby", "Mizzenfold", "Bollardsen", "Fairleadow", "Cleatworthy", "Sheetbend",
		"Anchorlea", "Halyardin", "Windlassel", "Capstanby", "Bosunmere", "Gunwaller", "Fathomsby"}
	placeHeads = []string{"Bram", "Cor", "Dun", "Fenn", "Gar", "Holm", "Kell", "Linn", "Morl", "Norr", "Penn", "Ross", "Skell", "Torr", "Ull", "Wick",
		"Yarl", "Ebb", "Thorn", "Grim"}
	placeTails = []string{"amouth", "wick", "haven", "ness", "holm", "stead", "pool", "gate", "cove", "firth", "sound", "strand"}
)

// Territories are the six parts of the made-up coast.
var Territories = []string{"Northfirth", "Skerry Coast", "Lowmarsh", "Southhaven", "The Sounds", "Outer Isles"}

var customerCategories = []string{"Boatyard", "Marina", "Chandlery", "Harbour authority"}

var productLines = []struct {
	category string
	nouns    []string
	sizes    []string
	price    float64
}{
	{"Rope and rigging", []string{"Braided line", "Mooring rope", "Shackle", "Rigging wire"}, []string{"6 mm", "8 mm", "10 mm", "12 mm", "14 mm", "16 mm"}, 42},
	{"Coatings", []string{"Antifouling", "Topside enamel", "Primer", "Varnish"}, []string{"0.75 l", "1 l", "2.5 l", "5 l", "10 l", "20 l"}, 88},
	{"Pumps and plumbing", []string{"Bilge pump", "Seacock", "Hose reel", "Water pump"}, []string{"small", "medium", "large", "12 V", "24 V", "spare kit"}, 120},
	{"Electrics", []string{"Battery", "Cable drum", "Navigation light", "Switch panel"}, []string{"12 V", "24 V", "2-way", "4-way", "6-way", "8-way"}, 150},
	{"Safety", []string{"Life jacket", "Flare box", "Fire blanket", "Life raft service"},
		[]string{"child", "adult", "crew", "4 persons", "6 persons", "8 persons"}, 135},
	{"Deck hardware", []string{"Cleat", "Winch handle", "Fairlead", "Hatch"}, []string{"100 mm", "150 mm", "200 mm", "250 mm", "300 mm", "350 mm"}, 75},
	{"Galley", []string{"Stove", "Sink", "Kettle", "Locker box"}, []string{"compact", "standard", "wide", "steel", "enamel", "gimballed"}, 95},
	{"Engine care", []string{"Oil filter", "Impeller", "Coolant", "Anode"}, []string{"type A", "type B", "type C", "type D", "type E", "type F"}, 38},
}

// families are what categories of products lie in.
var families = map[string]string{
	"Rope and rigging": "On deck", "Deck hardware": "On deck", "Coatings": "Upkeep", "Engine care": "Upkeep",
	"Pumps and plumbing": "Below deck", "Electrics": "Below deck", "Galley": "Below deck", "Safety": "Safety",
}

// namer gives each name once.
type namer struct {
	rng  *rand.Rand
	used map[string]bool
}

func (n *namer) once(make func() string) string {
	for try := 0; ; try++ {
		s := make()
		if try > 200 {
			s = fmt.Sprintf("%s %d", s, try-199)
		}
		if !n.used[s] {
			n.used[s] = true
			return s
		}
	}
}

func (n *namer) person() string {
	return n.once(func() string { return pickOne(n.rng, firstNames) + " " + pickOne(n.rng, lastNames) })
}

func (n *namer) firm(category string) string {
	return n.once(func() string {
		return pickOne(n.rng, []string{"", "", "Old ", "East ", "West ", "Upper "}) + pickOne(n.rng, placeHeads) + pickOne(n.rng, placeTails) + " " + category
	})
}

func pickOne[T any](rng *rand.Rand, from []T) T { return from[rng.IntN(len(from))] }

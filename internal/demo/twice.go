package demo

import "codicil/core/match"

// twice are vendors that somebody entered again: some exactly as they are but for capitals and spaces, some nearly. One is
// another company that only looks alike.
var twice = []partner{
	{"10", "TRAD", "SLANEY LABEL-PRINTERS", "Enniscar", "IE"}, {"20", "TRAD", "Havneby beslag", "Vesterhavn", "DK"}, {"30", "SERV", "Nagi design studio", "Shiomi", "JP"},
	{"10", "SERV", "Tidewater Boiler Service Ltd", "Port Carrow", "IE"}, {"20", "TRAD", "Skagenbugt Sejlmageriet ApS", "Vesterhavn", "DK"},
	{"40", "TRAD", silvrettaGas, "Talstetten", "CH"},
}

// silvrettaGas sells gas, where another of almost the same name sells glass.
const silvrettaGas = "Silvretta Gas GmbH"

// sameNames finds a vendor that several companies have, each under a name of its own.
var sameNames = match.Unique{Fields: []string{"name"}, Everywhere: true, Ignore: match.AllIgnored, Near: true}

// again enters vendors once more, and bills of one of them: one that is posted, one that is not yet.
func (g *generator) again() error {
	g.comes("2026-11-09")
	for _, p := range twice {
		v := p.vendor(g.r)
		if err := g.partner("vendor", p, v); err != nil {
			return err
		}
	}
	boilers := g.partners["vendor"]["10"][len(g.partners["vendor"]["10"])-1]
	for i, text := range []string{"Service of boiler 2", "Service of boiler 3"} {
		r, err := g.bill("10", boilers, "VI", "540000", text, 48_000, "2026-11-10")
		if err == nil && i == 0 {
			_, err = g.post(r)
		}
		if err != nil {
			return err
		}
	}
	return g.d.Duplicates.Define(g.ctx, "vendor", "The same name in any company", sameNames)
}

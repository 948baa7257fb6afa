package demo

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"strings"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"

	"codicil/core/record"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// Size is how much is to be generated. Lines are those of each document, FewestLines at least; fewer are taken as FewestLines.
type Size struct{ Vendors, Documents, Lines int }

// FewestLines is how many lines a vendor invoice is made with: two expenses, the tax and what is payable.
const FewestLines = 4

// MostLines is how many lines one is made with at most.
const MostLines = 1000

// crowd is how many write at once: they share commits, and enough others are judged while one is written.
const crowd = 400

// Generate adds vendors and posted vendor invoices to a file, through the rules, as clerks would; a
// file that is missing is begun with the scenario. They are made up by the recipes of the scenario, and the
// same for the same seed. told is called now and then with how many are done. Cost: judging and
// writing each.
func Generate(ctx context.Context, path string, size Size, seed uint64, told func(what string, done, of int)) (err error) {
	if _, missing := os.Stat(path); errors.Is(missing, fs.ErrNotExist) {
		if err := Write(ctx, path); err != nil {
			return err
		}
	}
	s, err := store.Open(ctx, path)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, s.Close()) }()
	var minutes atomic.Int64
	d := app.New(s, func() time.Time { return Morning().Add(time.Duration(minutes.Add(1)) * time.Millisecond) })
	m := &multitude{d: d, seed: seed, vendors: map[string][]string{}}
	ctx = actor.With(ctx, actor.Named(Author, actor.CommandLine))
	// The numbers of vendors tell which there are, so that a file can be added to.
	begun, all := map[string]int{}, 0
	for r, err := range s.Records(ctx, "vendor", nil) {
		if err != nil {
			return err
		}
		begun[r.Company]++
		all++
		if r.Values["payment_block"] != "true" && r.Type == "SERV" && r.Values["control_account"] == "211000" && r.Values["country"] == companyOf(r.Company).Country {
			m.vendors[r.Company] = append(m.vendors[r.Company], r.Number)
		}
	}
	documents, err := s.CountRecords(ctx, "accounting_document", nil)
	if err != nil {
		return err
	}
	numbers := make([]string, size.Vendors)
	err = m.all(ctx, "vendors", all, size.Vendors, told, func(ctx context.Context, i int, r *rand.Rand) error {
		number, err := m.vendor(ctx, companies[i%len(companies)].Key, begun["10"]+i, r)
		numbers[i] = number
		return err
	})
	if err != nil {
		return err
	}
	for i, number := range numbers {
		company := companies[i%len(companies)].Key
		m.vendors[company] = append(m.vendors[company], number)
	}
	return m.all(ctx, "documents", documents, size.Documents, told, func(ctx context.Context, i int, r *rand.Rand) error {
		return m.bill(ctx, companies[i%len(companies)].Key, documents+i, max(size.Lines, FewestLines), r)
	})
}

// multitude makes many records.
type multitude struct {
	d       *app.App
	seed    uint64
	vendors map[string][]string // by company: those that invoices name
}

// all does something so many times, many at once. What is drawn follows what was drawn for the file before, of which there are so many.
func (m *multitude) all(ctx context.Context, what string, before, count int, told func(what string, done, of int), do func(ctx context.Context, i int, r *rand.Rand) error) error {
	group, ctx := errgroup.WithContext(ctx)
	var next, done atomic.Int64
	for n := range crowd {
		ctx := actor.With(ctx, actor.Named(fmt.Sprintf("%s %d", Author, n+1), actor.CommandLine))
		group.Go(func() error {
			for {
				i := int(next.Add(1)) - 1
				if i >= count || ctx.Err() != nil {
					return ctx.Err()
				}
				if err := do(ctx, i, rand.New(rand.NewPCG(m.seed, uint64(before+i)))); err != nil {
					return fmt.Errorf("%s, number %d: %w", what, i+1, err)
				}
				if n := int(done.Add(1)); n%1000 == 0 || n == count {
					told(what, n, count)
				}
			}
		})
	}
	return group.Wait()
}

// syllables, crafts and towns make names that nobody has.
var (
	syllables = strings.Fields("bel cor dun fen gar hol kin lor mar nor pel quen ros sal tor ulv ven wex yar zel bri cro dra fle gro ska ste tri una osk")
	endings   = strings.Fields("a en ick ley mouth ness o ow sund vik wick by")
	crafts    = strings.Fields("Rigging Dredging Boatyard Chandlers Surveyors Lighterage Stevedores Ropework Coopers Sailmakers Pilots Moorings Ironworks Diving Towage Coatings Pumps Boilers Cranes Warehousing Forwarding Weighing Packing Printing Cleaning Catering Bookkeeping Welding Insulation Carpentry")
	forms     = map[string]string{"10": "Ltd", "20": "ApS", "30": "KK", "40": "AG"}
)

func coined(r *rand.Rand) string {
	name := syllables[r.IntN(len(syllables))] + syllables[r.IntN(len(syllables))] + endings[r.IntN(len(endings))]
	return strings.ToUpper(name[:1]) + name[1:]
}

// vendor keeps a vendor of services. What another has already is drawn anew.
func (m *multitude) vendor(ctx context.Context, company string, n int, r *rand.Rand) (number string, err error) {
	for range 5 {
		if number, err = m.drawVendor(ctx, company, n, r); err == nil || ctx.Err() != nil {
			break
		}
	}
	return number, err
}

func (m *multitude) drawVendor(ctx context.Context, company string, n int, r *rand.Rand) (string, error) {
	name := fmt.Sprintf("%s %s %s", coined(r), crafts[r.IntN(len(crafts))], forms[company])
	p := partner{company, "SERV", name, coined(r), companyOf(company).Country}
	v := p.vendor(r)
	v["trading_as"], v["email"] = coined(r)+" "+crafts[r.IntN(len(crafts))], fmt.Sprintf("office%d@%s.example", n, strings.ToLower(coined(r)))
	kept, err := m.keep(ctx, contract.SaveRequest{Document: documentOf("vendor", company, "SERV", "", v)})
	if err != nil {
		return "", err
	}
	return kept.Number, nil
}

// bill keeps and posts a vendor invoice: the craft and its extras, the tax and what is payable.
func (m *multitude) bill(ctx context.Context, company string, n, count int, r *rand.Rand) error {
	vendors := m.vendors[company]
	vendor, on, places := vendors[r.IntN(len(vendors))], later("2026-01-01", r.IntN(320)), scale[company].places
	whole := func(amount int64) int64 {
		if places == 0 {
			return amount / 100 * 100
		}
		return amount
	}
	expenses := []int64{whole(int64(5000 + r.IntN(900_000)))}
	net := expenses[0]
	for len(expenses) < count-2 {
		extra := whole(int64(5000 + r.IntN(90_000)))
		expenses, net = append(expenses, extra), net+extra
	}
	tax := whole((net*taxes[company] + 5000) / 10000)
	total := net + tax
	craft := crafts[r.IntN(len(crafts))]
	var lines []values
	for i, expense := range expenses {
		account, text := "560000", "Paperwork"
		if i == 0 {
			account, text = "540000", craft
		}
		lines = append(lines, values{"account": account, "debit": amount(expense, places), "text": text, "tax_code": "S", "cost_centre": costCentreOf(company)})
	}
	lines = append(lines, values{"account": "118000", "debit": amount(tax, places), "text": "Input tax"}, values{"account": "211000", "credit": amount(total, places)})
	kept, err := m.keep(ctx, contract.SaveRequest{Document: documentOf("accounting_document", company, "VI", on, values{
		"vendor": vendor, "reference": fmt.Sprintf("%s-%07d", strings.ToUpper(coined(r)[:3]), n), "document_date": string(on), "posting_date": string(later(on, 1)),
		"currency": currencies[company], "total": amount(total, places), "text": craft + " at " + coined(r),
	}, lines...)})
	if err != nil {
		return err
	}
	at := record.Ref{Kind: kept.Kind, Number: kept.Number}
	posted, outcome, err := m.d.Posting.PostKept(ctx, at, contract.PostRequest{Version: kept.Version})
	if err == nil && posted == nil {
		posted, outcome, err = m.d.Posting.PostKept(ctx, at, contract.PostRequest{Version: kept.Version, Reasons: excuses(outcome)})
	}
	if err == nil && posted == nil {
		err = fmt.Errorf("%s is not posted: %v", kept.Number, outcome.Messages)
	}
	return err
}

// keep keeps a record; what only asks for a reason gets one.
func (m *multitude) keep(ctx context.Context, request contract.SaveRequest) (*record.Record, error) {
	request.Document.Day = ""
	kept, outcome, err := m.d.Records.Keep(ctx, request)
	if err == nil && kept == nil {
		request.Document.Reasons = map[int64]string{}
		for _, message := range outcome.Messages {
			request.Document.Reasons[message.Rule] = excuse
		}
		kept, outcome, err = m.d.Records.Keep(ctx, request)
	}
	if err == nil && kept == nil {
		err = fmt.Errorf("%v is not accepted: %v", request.Document.Entered, outcome.Messages)
	}
	return kept, err
}

const excuse = "Made up, one of many."

func excuses(o contract.Outcome) map[string]string {
	reasons := map[string]string{}
	for _, message := range o.Messages {
		reasons[fmt.Sprint(message.Rule)] = excuse
	}
	return reasons
}

func costCentreOf(company string) string {
	for _, c := range costCentres {
		if c[1] == company {
			return c[0]
		}
	}
	return ""
}

package actor

import "slices"

// Permission is one thing that somebody may do. The contract names at every operation those of which it asks one.
type Permission string

// The permissions.
const (
	RecordsRead   Permission = "records.read"   // see records, by kind
	RecordsChange Permission = "records.change" // enter, change, delete, by kind
	RecordsPost   Permission = "records.post"   // post and reverse, by kind
	RecordsMany   Permission = "records.many"   // load, merge, derive again, take back, by kind
	RecordsExport Permission = "records.export" // take lists out, by kind
	LedgerRead    Permission = "ledger.read"    // see what was posted, journal and balances
	PracticePost  Permission = "practice.post"  // post test documents to the practice ledger
	RulesRead     Permission = "rules.read"     // see rules, tables, proofs and findings
	RulesChange   Permission = "rules.change"   // write drafts
	RulesForce    Permission = "rules.force"    // put in force and take out of force
	TablesChange  Permission = "tables.change"  // standing values, crosswalks, number series
	SetupChange   Permission = "setup.change"   // companies, types, fields, layouts, maps
	ProofsChange  Permission = "proofs.change"  // keep and accept proofs, set findings aside
	PersonsChange Permission = "persons.change" // persons, roles, keys of programs
	TrailRead     Permission = "trail.read"     // see and take out the trail
	BackupMake    Permission = "backup.make"    // make backups and see when they were made
	PersonalBlank Permission = "personal.blank" // blank what is personal, for good
)

// Permissions are all of them, in the order in which they are shown.
var Permissions = []Permission{
	RecordsRead, RecordsChange, RecordsPost, RecordsMany, RecordsExport, LedgerRead, PracticePost,
	RulesRead, RulesChange, RulesForce, TablesChange, SetupChange, ProofsChange, PersonsChange, TrailRead, BackupMake, PersonalBlank,
}

// ByKind tells whether a permission may be given for some kinds of records only.
func (p Permission) ByKind() bool {
	return slices.Contains([]Permission{RecordsRead, RecordsChange, RecordsPost, RecordsMany, RecordsExport}, p)
}

// Rights are what somebody may do, and in which companies. The zero value: nothing, nowhere.
type Rights struct {
	// Whole is all there is, as the person of the machine has it, who can read and write the file itself.
	Whole bool
	// May holds the kinds of records for which a permission is given; of none: for all.
	May map[Permission][]string
	// Everywhere is in every company, also in those that come; otherwise in Companies.
	Everywhere bool
	Companies  []string
}

// Has tells whether a permission is given for a kind of records, or, where kind is "", for one at least.
func (r *Rights) Has(p Permission, kind string) bool {
	if r.Whole {
		return true
	}
	kinds, given := r.May[p]
	return given && (kind == "" || len(kinds) == 0 || slices.Contains(kinds, kind))
}

// In tells whether a company is theirs.
func (r *Rights) In(company string) bool {
	return r.Whole || r.Everywhere || slices.Contains(r.Companies, company)
}

// All tells whether every company is theirs.
func (r *Rights) All() bool { return r.Whole || r.Everywhere }

// implied are what goes with another permission: who changes something sees it.
var implied = map[Permission]Permission{
	RecordsChange: RecordsRead, RecordsPost: RecordsRead, RecordsMany: RecordsRead, RecordsExport: RecordsRead,
	RulesChange: RulesRead, RulesForce: RulesRead, TablesChange: RulesRead, SetupChange: RulesRead, ProofsChange: RulesRead,
}

// Give adds a permission for kinds of records, none: for all, and what goes with it.
func (r *Rights) Give(p Permission, kinds []string) {
	if also := implied[p]; also != "" {
		r.Give(also, kinds)
	}
	if r.May == nil {
		r.May = map[Permission][]string{}
	}
	before, given := r.May[p]
	switch {
	case given && len(before) == 0: // for all already
	case len(kinds) == 0 || !p.ByKind():
		r.May[p] = nil
	default:
		for _, k := range kinds {
			if !slices.Contains(before, k) {
				before = append(before, k)
			}
		}
		r.May[p] = before
	}
}

// Within returns these rights as far as others hold them too: what a key may, whose owner may less by now.
func (r *Rights) Within(o *Rights) Rights {
	if o.Whole {
		return *r
	}
	if r.Whole {
		return *o
	}
	both := Rights{Everywhere: r.Everywhere && o.Everywhere}
	for p, kinds := range r.May {
		others, given := o.May[p]
		switch {
		case !given:
		case len(kinds) == 0:
			both.Give(p, others)
		case len(others) == 0:
			both.Give(p, kinds)
		default:
			if shared := slices.DeleteFunc(slices.Clone(kinds), func(k string) bool { return !slices.Contains(others, k) }); len(shared) > 0 {
				both.Give(p, shared)
			}
		}
	}
	switch {
	case both.Everywhere:
	case r.Everywhere:
		both.Companies = slices.Clone(o.Companies)
	default:
		both.Companies = slices.DeleteFunc(slices.Clone(r.Companies), func(c string) bool { return !o.In(c) })
	}
	return both
}

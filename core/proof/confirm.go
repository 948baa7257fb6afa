package proof

import (
	"context"
	"slices"

	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

// State tells how far proofs confirm a rule.
type State string

// The states of a rule's proofs. Both may also be reached by a rule that can never keep
// still, when it is proved to act.
const (
	NotProved      State = "not proved"
	ProvedToAct    State = "proved to act"
	ProvedNotToAct State = "proved not to act"
	ProvedBoth     State = "proved both ways"
	Failing        State = "failing"
	OutOfDate      State = "out of date" // a proof of it can no longer be run
)

// Shown is a goal of a rule, and the proofs that reach it.
type Shown struct {
	Goal
	Words  string
	Proofs []int64 // numbers; empty: nothing shows it
}

// Confirmation is what the proofs say of a rule.
type Confirmation struct {
	Rule   *rule.Compiled
	State  State
	Goals  []Shown
	Proofs []int64 // those that name the rule
}

// Reached counts the goals that are reached.
func (c *Confirmation) Reached() (count int) {
	for _, g := range c.Goals {
		if len(g.Proofs) > 0 {
			count++
		}
	}
	return count
}

// Confirm tells for every rule in force what the results of proofs say of it.
func Confirm(b *plan.Book, results []Result) []Confirmation {
	var list []Confirmation
	for _, c := range b.Rules {
		if c.State == rule.InForce && c.Sound() {
			list = append(list, ConfirmRule(c, results))
		}
	}
	return list
}

// ConfirmRule tells what the results say of one rule.
func ConfirmRule(c *rule.Compiled, results []Result) Confirmation {
	found := Confirmation{Rule: c, Proofs: []int64{}}
	reached := map[Goal][]int64{}
	failing, outOfDate := false, false
	for i := range results {
		r := &results[i]
		named := slices.Contains(r.Proof.Rules, c.ID)
		if named {
			found.Proofs = append(found.Proofs, r.Proof.ID)
			outOfDate = outOfDate || r.Err != nil
			failing = failing || (r.Err == nil && len(r.Differences) > 0)
		}
		if !r.Held() || !r.Proof.watches(c) {
			continue
		}
		seen := r.Coverage[c.ID]
		for goal := range seen {
			reached[goal] = append(reached[goal], r.Proof.ID)
		}
		if outside := c.When == nil && !plan.Covers(c, r.Plan.Scope); outside {
			reached[Goal{Show: Still}] = append(reached[Goal{Show: Still}], r.Proof.ID)
		}
	}
	still := false
	for _, goal := range Goals(c) {
		proofs := reached[goal]
		slices.Sort(proofs)
		found.Goals = append(found.Goals, Shown{goal, goal.Words(c), append([]int64{}, proofs...)})
		still = still || goal.Show == Still
	}
	acted, kept := len(reached[Goal{Show: Acts}]) > 0, len(reached[Goal{Show: Still}]) > 0
	switch {
	case outOfDate:
		found.State = OutOfDate
	case failing:
		found.State = Failing
	case acted && (kept || !still):
		found.State = ProvedBoth
	case acted:
		found.State = ProvedToAct
	case kept:
		found.State = ProvedNotToAct
	default:
		found.State = NotProved
	}
	return found
}

// Strength is how many slightly wrong versions of a rule its proofs notice.
type Strength struct {
	Rule    *rule.Compiled
	Mutants int
	// Unnoticed are those that no proof notices.
	Unnoticed []Mutant
}

// Noticed counts the versions that a proof notices.
func (s *Strength) Noticed() int { return s.Mutants - len(s.Unnoticed) }

// Measure runs the proofs that hold on wrong versions of rules, on all processors. done is
// told of each rule as it ends. Where the context ends the rest is not measured, and the
// error says so.
func (r *Runner) Measure(ctx context.Context, rules []*rule.Compiled, results []Result, done func(*Strength)) ([]Strength, error) {
	strengths := make([]Strength, len(rules))
	type trial struct{ rule, mutant int }
	var trials []trial
	mutants := make([][]Mutant, len(rules))
	noticed := make([][]bool, len(rules))
	for i, c := range rules {
		mutants[i] = Mutants(c, r.Book, r.Extent, r.companyOf(c, results))
		noticed[i] = make([]bool, len(mutants[i]))
		for j := range mutants[i] {
			trials = append(trials, trial{i, j})
		}
	}
	err := r.Each(ctx, len(trials), func(i int) {
		t := trials[i]
		noticed[t.rule][t.mutant] = r.notices(rules[t.rule], &mutants[t.rule][t.mutant], results)
	})
	for i, c := range rules {
		strengths[i] = Strength{Rule: c, Mutants: len(mutants[i]), Unnoticed: []Mutant{}}
		for j := range mutants[i] {
			if !noticed[i][j] {
				strengths[i].Unnoticed = append(strengths[i].Unnoticed, mutants[i][j])
			}
		}
		if done != nil {
			done(&strengths[i])
		}
	}
	return strengths, err
}

// Ask runs all proofs that hold and are reached on those wrong versions of rules that compare other values than the rules: who
// answers unique rules then knows what [Runner.Measure] will ask. Where the context ends it is not all.
func (r *Runner) Ask(ctx context.Context, rules []*rule.Compiled, results []Result) error {
	type question struct {
		wrong version
		proof *Proof
	}
	var asked []question
	for _, c := range rules {
		if len(c.Unique) == 0 {
			continue
		}
		mutants := Mutants(c, r.Book, r.Extent, r.companyOf(c, results))
		for i := range mutants {
			if !mutants[i].OfRule() {
				continue
			}
			wrong := r.version(c, &mutants[i])
			if len(wrong.turned.Unique) == 0 || wrong.turned.UniqueBy().Same(c.UniqueBy()) {
				continue
			}
			r.eachReached(c, &mutants[i], wrong, results, func(p *Proof) bool {
				asked = append(asked, question{wrong, p})
				return true
			})
		}
	}
	return r.Each(ctx, len(asked), func(i int) { asked[i].wrong.Run(asked[i].proof, false) })
}

// notices tells whether a proof that holds notices the mutant.
func (r *Runner) notices(c *rule.Compiled, m *Mutant, results []Result) (noticed bool) {
	wrong := r.version(c, m)
	r.eachReached(c, m, wrong, results, func(p *Proof) bool {
		again := wrong.Run(p, false)
		noticed = !again.Held()
		return !noticed
	})
	return noticed
}

// eachReached goes through the proofs that hold and that a wrong version may reach, those that name the rule first: they are the
// likelier ones to notice.
func (r *Runner) eachReached(c *rule.Compiled, m *Mutant, wrong version, results []Result, do func(*Proof) bool) {
	for _, named := range []bool{true, false} {
		for i := range results {
			p := results[i].Proof
			if slices.Contains(p.Rules, c.ID) != named || !results[i].Held() || !m.reaches(c, wrong.turned, results[i].Plan.Scope) {
				continue
			}
			if !do(p) {
				return
			}
		}
	}
}

// version is a runner in whose book a rule is slightly wrong, or reads what is.
type version struct {
	*Runner
	turned *rule.Compiled
}

func (r *Runner) version(c *rule.Compiled, m *Mutant) version {
	wrong := r.mutated(c, m)
	return version{wrong, wrong.Book.Rules[slices.IndexFunc(wrong.Book.Rules, func(o *rule.Compiled) bool { return o.ID == c.ID })]}
}

// reaches tells whether a document of a scope may come out otherwise with the version.
func (m *Mutant) reaches(c, turned *rule.Compiled, s plan.Scope) bool {
	stands, stood := plan.Covers(c, s), plan.Covers(turned, s)
	switch {
	case m.around != nil:
		return stands && m.around.meets(s)
	case m.Gone:
		return stands
	case !stands && !stood:
		return false // it stands in neither plan
	case stands && stood && !slices.Equal(c.Scope.Companies, turned.Scope.Companies):
		return false // only its companies are others
	case stands && stood && !slices.Equal(c.Scope.Types, turned.Scope.Types):
		return false
	}
	return true
}

// companyOf is a company in which the rule stands in a plan, for the size of its steps.
func (r *Runner) companyOf(c *rule.Compiled, results []Result) *record.Company {
	for i := range results {
		if p := results[i].Plan; p != nil && plan.Covers(c, p.Scope) {
			return p.Scope.Company
		}
	}
	return nil
}

package runs

import (
	"cmp"
	"encoding/json"
	"slices"
	"time"

	"codicil/internal/clock"
	"codicil/internal/contract"
)

// Subject is what a run is about.
type Subject struct {
	Rule    int64 `json:"rule,omitempty"` // 0: a new one
	Version int   `json:"version,omitempty"`
	Changed bool  `json:"changed,omitempty"` // as it was being changed
	File    bool  `json:"file,omitempty"`    // what it leaves is a file
	Load    int64 `json:"load,omitempty"`
	Run     int64 `json:"run,omitempty"` // that it takes back
	Codicil int64 `json:"codicil,omitempty"`
	Book    int64 `json:"book,omitempty"` // the version of the rule book on which the codicil stood
	// Figures are what it has found in numbers so far, as its work keeps them.
	Figures json.RawMessage `json:"figures,omitempty"`
	// Request is what was asked, where the run goes on with it after a stop.
	Request json.RawMessage `json:"request,omitempty"`
	// Reached is the record after which it goes on.
	Reached string `json:"reached,omitempty"`
	// Asked are the rules that ask for a reason, with what they say of the first.
	Asked map[int64]string `json:"asked,omitempty"`
}

// Shown shows a run.
func Shown(r *Run) contract.Run {
	shown := contract.Run{ID: r.ID, What: contract.RunWhat(r.What), Title: r.Title, State: contract.RunState(r.State), Done: r.Done, Total: r.Total, Problem: r.Problem, StartedBy: r.Started.By, Writes: r.Writes}
	shown.StartedAt, _ = clock.When(r.Started)
	var subject Subject
	if json.Unmarshal([]byte(r.Subject), &subject) == nil {
		shown.Rule, shown.Version, shown.Changed = subject.Rule, subject.Version, subject.Changed
	}
	if r.Found != "" && json.Unmarshal([]byte(r.Found), &shown.Counts) != nil {
		shown.Counts = nil
	}
	if r.What == string(contract.RunWhatDuplicates) {
		var request struct{ Kind string }
		if json.Unmarshal(subject.Request, &request) == nil {
			shown.Kind = request.Kind
		}
	}
	shown.File, shown.Load, shown.TakesBack, shown.Codicil = subject.File, subject.Load, subject.Run, subject.Codicil
	for id, text := range subject.Asked {
		shown.Asked = append(shown.Asked, contract.AskedRule{Rule: id, Text: text, Count: shown.Counts[Asks(id)]})
		delete(shown.Counts, Asks(id))
	}
	slices.SortFunc(shown.Asked, func(a, b contract.AskedRule) int { return cmp.Compare(a.Rule, b.Rule) })
	if ended, err := time.Parse(time.RFC3339, r.EndedAt); err == nil {
		shown.EndedAt = &ended
	}
	return shown
}

package engine_test

import (
	"encoding/json"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/rule"
)

// What a probe finds for the formula of a rule is what the rule itself found on its way:
// in every journey of the test data, for every rule that ran.
func TestAProbeFindsWhatTheRuleFinds(t *testing.T) {
	text, err := os.ReadFile("testdata/lines.json")
	require.NoError(t, err)
	var list []lineJourney
	require.NoError(t, json.Unmarshal(text, &list))
	probed := 0
	for _, j := range list {
		p, c := j.prepare(t)
		if p.Loop != nil || j.Unsound != "" {
			continue
		}
		out := engine.Run(p, c, true)
		for _, s := range out.Cells() {
			for _, act := range s.Rules {
				find := func(program *feel.Program) feel.Value {
					found, ok := engine.Probe{Place: s.Index, Line: s.Line, Family: act.Rule.Family, Program: program}.Try(p, c, out)
					require.True(t, ok)
					probed++
					return found.Value
				}
				if act.Rule.Unique != nil || act.Rule.Family == rule.FollowUp {
					continue // these look at more than the document
				}
				label := j.Name + ": " + act.Rule.Label()
				switch act.Did {
				case engine.Acted:
					if act.Rule.When != nil {
						assert.Equal(t, feel.True, find(act.Rule.When), label)
					}
					if act.Rule.Value != nil && !act.Rule.Effect.Fixed { // a fixed one keeps what is saved
						assert.Equal(t, act.After.String(), find(act.Rule.Value).String(), label)
					}
				case engine.WhenNotTrue:
					assert.NotEqual(t, feel.True, find(act.Rule.When), label)
				case engine.Holds, engine.Speaks, engine.Undecided:
					want := map[string]feel.Value{engine.Holds: feel.True, engine.Speaks: feel.False, engine.Undecided: feel.NullValue}[act.Did]
					assert.Equal(t, want, find(act.Rule.Must), label)
				}
			}
		}
	}
	assert.Greater(t, probed, 20)
}

func TestAProbeNeedsItsLine(t *testing.T) {
	j := lineJourney{journey: journey{Moment: rule.Saving}, Lines: []map[string]string{{"quantity": "3"}}}
	p, c := j.prepare(t)
	program, problems := feel.Compile("line.quantity * 2", p.Vocabulary.LineScope, feel.Strict)
	require.NoError(t, problems.Errors())
	place := p.Kind().Index("lines.quantity")
	out := engine.Run(p, c, true)
	found, ok := engine.Probe{Place: place, Line: 1, Family: rule.Substitute, Program: program}.Try(p, c, out)
	require.True(t, ok)
	assert.Equal(t, "6", found.Value.String())
	_, ok = engine.Probe{Place: place, Line: 2, Family: rule.Substitute, Program: program}.Try(p, c, out)
	assert.False(t, ok)
}

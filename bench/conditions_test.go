// Package bench measures Codicil beside its peers, in one run.
package bench

import (
	"fmt"
	"testing"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/vm"
	"github.com/stretchr/testify/require"

	"codicil/core/feel"
)

const conditions = 200

// pairs are typical conditions, in both languages. %d varies the constants.
var pairs = [][2]string{
	{`amount > %d and country = "IE"`, `amount > %d && country == "IE"`},
	{`country in ("DE", "JP", "IE") and rate <= 0.%02d`, `country in ["DE", "JP", "IE"] && rate <= 0.%02d`},
	{`amount * rate > %d or blocked`, `amount * rate > %d || blocked`},
	{`amount between %d and 5000`, `amount >= %d && amount <= 5000`},
	{`starts with(name, "Ski") and amount < %d`, `name startsWith "Ski" && amount < %d`},
	{`if blocked then amount else amount * 1.%02d`, `blocked ? amount : amount * 1.%02d`},
}

// BenchmarkConditions evaluates 200 compiled conditions over one document:
// exact decimals here, binary floats there.
func BenchmarkConditions(b *testing.B) {
	data, err := feel.FromJSON([]byte(`{"amount": 1480.25, "country": "IE", "rate": 0.19, "name": "Skerry Sacks", "blocked": false}`))
	require.NoError(b, err)
	scope, slots := feel.ScopeOf(data)
	environment := map[string]any{"amount": 1480.25, "country": "IE", "rate": 0.19, "name": "Skerry Sacks", "blocked": false}
	var ours []*feel.Program
	var theirs []*vm.Program
	for i := range conditions {
		pair := pairs[i%len(pairs)]
		program, problems := feel.Compile(fmt.Sprintf(pair[0], i%90+10), scope, feel.Strict)
		require.NoError(b, problems.Errors())
		ours = append(ours, program)
		peer, err := expr.Compile(fmt.Sprintf(pair[1], i%90+10), expr.Env(environment))
		require.NoError(b, err)
		theirs = append(theirs, peer)
	}
	b.Run("codicil", func(b *testing.B) {
		b.ReportAllocs()
		frame := &feel.Frame{Slots: slots}
		for range b.N {
			for _, program := range ours {
				program.Eval(frame)
			}
		}
	})
	b.Run("expr-lang", func(b *testing.B) {
		b.ReportAllocs()
		machine := vm.VM{}
		for range b.N {
			for _, program := range theirs {
				if _, err := machine.Run(program, environment); err != nil {
					b.Fatal(err)
				}
			}
		}
	})
}

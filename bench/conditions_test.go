// Package bench measures Codicil beside its peers, in one run.
package bench

import (
	"fmt"
	"testing"

	"cel.dev/cel-go/cel"
	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/vm"
	"github.com/stretchr/testify/require"

	"codicil/core/feel"
)

const conditions = 200

// triples are typical conditions and values in the three languages. %d varies the constants.
var triples = [][3]string{
	{`amount > %d and country = "IE"`, `amount > %d && country == "IE"`, `amount > %d.0 && country == "IE"`},
	{`country in ("DE", "JP", "IE") and rate <= 0.%02d`, `country in ["DE", "JP", "IE"] && rate <= 0.%02d`, `country in ["DE", "JP", "IE"] && rate <= 0.%02d`},
	{`amount * rate > %d or blocked`, `amount * rate > %d || blocked`, `amount * rate > %d.0 || blocked`},
	{`amount between %d and 5000`, `amount >= %d && amount <= 5000`, `amount >= %d.0 && amount <= 5000.0`},
	{`starts with(name, "Ski") and amount < %d`, `name startsWith "Ski" && amount < %d`, `name.startsWith("Ski") && amount < %d.0`},
	{`country != "DE" and not(blocked) and name != "Halyard %d"`, `country != "DE" && !blocked && name != "Halyard %d"`, `country != "DE" && !blocked && name != "Halyard %d"`},
	{`amount / 100 >= %d`, `amount / 100 >= %d`, `amount / 100.0 >= %d.0`},
	{`string length(name) > %d or country = "IE" or country = "DK"`, `len(name) > %d || country == "IE" || country == "DK"`, `size(name) > %d || country == "IE" || country == "DK"`},
	{`(amount - 80) * (1 - rate) - %d`, `(amount - 80) * (1 - rate) - %d`, `(amount - 80.0) * (1.0 - rate) - %d.0`},
	{`if blocked then amount else amount * 1.%02d`, `blocked ? amount : amount * 1.%02d`, `blocked ? amount : amount * 1.%02d`},
}

// BenchmarkConditions evaluates 200 compiled conditions over one document:
// exact decimals here, binary floats in both peers.
func BenchmarkConditions(b *testing.B) {
	data, err := feel.FromJSON([]byte(`{"amount": 1480.25, "country": "IE", "rate": 0.19, "name": "Skerry Sacks", "blocked": false}`))
	require.NoError(b, err)
	scope, slots := feel.ScopeOf(data)
	environment := map[string]any{"amount": 1480.25, "country": "IE", "rate": 0.19, "name": "Skerry Sacks", "blocked": false}
	var ours []*feel.Program
	var exprs []*vm.Program
	var cels []cel.Program
	celEnvironment, err := cel.NewEnv(cel.Variable("amount", cel.DoubleType), cel.Variable("country", cel.StringType),
		cel.Variable("rate", cel.DoubleType), cel.Variable("name", cel.StringType), cel.Variable("blocked", cel.BoolType))
	require.NoError(b, err)
	for i := range conditions {
		triple := triples[i%len(triples)]
		program, problems := feel.Compile(fmt.Sprintf(triple[0], i%90+10), scope, feel.Strict)
		require.NoError(b, problems.Errors())
		ours = append(ours, program)
		second, err := expr.Compile(fmt.Sprintf(triple[1], i%90+10), expr.Env(environment))
		require.NoError(b, err)
		exprs = append(exprs, second)
		checked, issues := celEnvironment.Compile(fmt.Sprintf(triple[2], i%90+10))
		require.NoError(b, issues.Err())
		third, err := celEnvironment.Program(checked, cel.EvalOptions(cel.OptOptimize))
		require.NoError(b, err)
		cels = append(cels, third)
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
			for _, program := range exprs {
				if _, err := machine.Run(program, environment); err != nil {
					b.Fatal(err)
				}
			}
		}
	})
	b.Run("cel-go", func(b *testing.B) {
		b.ReportAllocs()
		activation, err := cel.NewActivation(environment)
		require.NoError(b, err)
		for range b.N {
			for _, program := range cels {
				if _, _, err := program.Eval(activation); err != nil {
					b.Fatal(err)
				}
			}
		}
	})
}

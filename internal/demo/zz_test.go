package demo_test
import ("testing";"fmt";"time";"strings")
func TestZZ(t *testing.T){
	d := fill(t)
	tm, tn := 0, 0
	classes := map[string]int{}
	for _, kind := range kindsWithRules {
		start := time.Now()
		list, err := d.Confirmation(t.Context(), kind, true)
		if err != nil { t.Fatal(err) }
		m, n := 0, 0
		for _, c := range list { m += c.Strength.Mutants; n += c.Strength.Noticed
			for _, u := range c.Strength.Unnoticed { 
				w := strings.Fields(u); classes[strings.Join(w[:min(3,len(w))], " ")]++
				fmt.Println("   U", kind, c.Rule, c.Field, "|", u) }
		}
		fmt.Println(kind, len(list), n, m, 100*n/m, time.Since(start))
		tm += m; tn += n
	}
	fmt.Println("ALL", tn, tm, 100.0*float64(tn)/float64(tm))
	for k, v := range classes { if v > 3 { fmt.Println("C", v, k) } }
}

package rule

// complaint notes what is wrong with a part of a rule.
type complaint func(part, format string, args ...any)

// conduct is what the rules of one family have of their own. Each family is a file that adds
// its conduct; what the family does at its station is told in the engine.
type conduct struct {
	// check compiles the rule's effect, and complains of what is wrong with it.
	check func(c *Compiled, complain complaint)
	// phrase says the effect in a few words: "N45".
	phrase func(t telling) string
	// deed says it within a sentence: "replace Payment terms with N45". label names the target.
	deed func(t telling, label string) string
	// begin is what a new rule of the family does until somebody says more; the zero value: nothing yet.
	begin Effect
	// subject begins a proposed name, before the phrase: "Payment terms becomes ".
	subject func(t telling) string
	// always tells that rules ask for no occasion, and newOnly whether one comes to new records
	// only, whatever its occasions.
	always  bool
	newOnly func(c *Compiled) bool
}

var families = map[Family]conduct{}

// conduct is that of the rule's family; a family that is not known says nothing.
func (c *Compiled) conduct() conduct {
	if own, known := families[c.Family]; known {
		return own
	}
	return families[Substitute]
}

// Beginnings returns what a new rule begins with, by family.
func Beginnings() map[Family]Effect {
	all := map[Family]Effect{}
	for _, f := range Families {
		all[f] = families[f].begin
	}
	return all
}

// verb begins a proposed name with the label of the target.
func verb(words string) func(telling) string {
	return func(t telling) string { return t.targetLabel() + words }
}

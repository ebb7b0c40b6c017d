package rules

// BuiltIn is what stands in the place of a rule set's name where a rule is a
// built-in check.
const BuiltIn = "check"

// A Rule is what a finding comes from: a clause of a rule set, or a built-in
// check, which holds whatever the rule sets say. Two are the same when they
// are equal; a rule set may well be called "check".
type Rule struct {
	Set     string
	Clause  string // the clause's or check's ID
	BuiltIn bool
}

// Check names a built-in check.
func Check(id string) Rule { return Rule{Set: BuiltIn, Clause: id, BuiltIn: true} }

// String writes the rule as files and outputs name it: house/length, or
// check/blank.
func (r Rule) String() string { return r.Set + "/" + r.Clause }

// Names writes rules as files and outputs name them.
func Names(list []Rule) []string {
	names := make([]string, len(list))
	for i, r := range list {
		names[i] = r.String()
	}
	return names
}

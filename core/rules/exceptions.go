package rules

import (
	"reflect"
	"strconv"
	"strings"
	"time"

	"yewcone/core/condition"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

// OnAccount stands in an exception's policy for values on accounts themselves.
const OnAccount = "on the account"

// An Exception is a risk that somebody accepted.
type Exception struct {
	System   string
	Rule     string // set and clause, or check/ and the check's ID
	Setting  string // "" for all that the rule asks
	Policy   string // "" for all; OnAccount where the value stands on the account itself
	Value    string // as findings write it: it covers this value and stricter ones; "" for all
	Accounts *condition.Condition
	Because  string
	Owner    string    // who answers for it
	Until    time.Time // the last day on which it holds
	Place    strictyaml.Text
}

// Ended reports whether the exception is over at a moment. It holds through
// the whole of its last day.
func (e *Exception) Ended(at time.Time) bool { return !at.Before(e.Until.AddDate(0, 0, 1)) }

// Order puts exceptions as their file does; nil comes first.
func (e *Exception) Order() int {
	if e == nil {
		return 0
	}
	return e.Place.Line
}

type exceptionsFile struct {
	Exceptions []exceptionFile `yaml:"exceptions,required"`
}

type exceptionFile struct {
	Place    strictyaml.Text
	System   strictyaml.Text  `yaml:"system,required"`
	Rule     strictyaml.Text  `yaml:"rule,required"`
	Setting  string           `yaml:"setting"`
	Policy   string           `yaml:"policy"`
	Value    string           `yaml:"value"`
	Accounts *strictyaml.Text `yaml:"accounts"`
	Because  strictyaml.Text  `yaml:"because,required"`
	Owner    strictyaml.Text  `yaml:"owner,required"`
	Until    strictyaml.Text  `yaml:"until,required"`
}

// ReadExceptions reads a file of exceptions. check, called with each system
// and rule, returns the conditions that may be asked by a name on the system, and an
// error for a name that does not exist. The error is strictyaml.Problems.
func ReadExceptions(file string, data []byte, check func(system, rule strictyaml.Text) (condition.Named, error)) ([]*Exception, error) {
	var raw exceptionsFile
	if err := strictyaml.Decode(file, data, &raw); err != nil {
		return nil, err
	}
	r := reader{}
	var list []*Exception
	for i := range raw.Exceptions {
		x := &raw.Exceptions[i]
		var err error
		r.named, err = check(x.System, x.Rule)
		r.note(err)
		until, err := x.Until.Date()
		r.note(err)
		e := &Exception{System: x.System.Value, Rule: x.Rule.Value, Setting: x.Setting, Policy: x.Policy, Value: x.Value,
			Because: x.Because.Value, Owner: x.Owner.Value, Until: until.Truncate(24 * time.Hour), Place: x.Place}
		e.Accounts = r.condition(x.Accounts)
		list = append(list, e)
	}
	return list, r.problems.Err()
}

// YAML writes the exception as an entry of a file that ReadExceptions reads;
// accounts is the text of its condition, "" for none.
func (e *Exception) YAML(accounts string) string {
	var b strings.Builder
	line := func(lead, key, value string) {
		if value != "" {
			b.WriteString(lead + key + ": " + strconv.Quote(value) + "\n")
		}
	}
	line("  - ", "system", e.System)
	line("    ", "rule", e.Rule)
	line("    ", "setting", e.Setting)
	line("    ", "policy", e.Policy)
	line("    ", "value", e.Value)
	line("    ", "accounts", accounts)
	line("    ", "because", e.Because)
	line("    ", "owner", e.Owner)
	b.WriteString("    until: " + e.Until.Format(time.DateOnly) + "\n")
	return b.String()
}

// ExceptionsSchema describes a file of exceptions as JSON Schema does.
func ExceptionsSchema() map[string]any {
	return strictyaml.Schema("exceptions: findings that somebody answers for, until a date", reflect.TypeFor[exceptionsFile](),
		strictyaml.Hints{Words: map[string][]string{"exceptionFile.setting": setting.Names()}})
}

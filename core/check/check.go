// Package check holds the built-in checks: what is wrong whatever the rules of
// a house are. Each is one value; package audit runs them and knows none of
// them by name.
package check

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"

	"yewcone/core/condition"
	"yewcone/core/facts"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

// A Check looks for one thing. It has one of Account, Settings, SameStored,
// Steps, System, Person, Between, SignIns, Record and Unused.
type Check struct {
	ID           string
	Title        string // what is so where it hits; stands in findings of accounts and systems
	Doc          string // why it matters
	Remedy       string
	Severity     rules.Severity
	IfPrivileged rules.Severity // 0: as Severity
	Limit        setting.Span   // what {limit} stands for; can be set in the estate file

	// Applies tells whether there is anything to look at on a system; nil for
	// always.
	Applies func(*facts.System) bool

	// Account is a condition on accounts, and Shows the fact that is told of
	// each example; "" for none.
	Account string
	Shows   string
	// Settings looks at what holds for accounts with the same settings, and
	// returns what is wrong; "" for nothing. A value that is not known is never
	// wrong.
	Settings func(*SettingsView) string
	// Wants tells which values would end what Settings found; nil where none
	// would by itself.
	Wants func(*SettingsView) []Want
	// Mark is the fact about accounts that it comes from, where taking that back
	// is the remedy; "" for others.
	Mark string
	// Acts are what can be done to its accounts one by one, each of which ends it
	// for the account, at the latest with the new password that its owner sets;
	// none where it takes more than that.
	Acts []Act
	// Opens says in a few words what lets in whoever tries, or reads a copy; ""
	// where nothing does.
	Opens string
	// SameStored: it reaches the accounts that are switched on and share their
	// stored password with another.
	SameStored bool
	// System looks at a whole system after its accounts went past, and Unsure
	// tells whether, where it finds nothing, that is for want of knowing; nil for
	// never.
	System func(*SystemView, func(Hit))
	Unsure func(*SystemView) bool
	// Person looks at an enabled account of a person, with what the person has
	// on other systems, and returns what is wrong; "" for nothing.
	Person func(*PersonView) string
	// Stale: from the age Limit on a person's password counts as old.
	Stale bool
	// Steps: it reaches accounts that fall short of what a rule asks from a later day
	// on, and not of what it asks until then.
	Steps bool
	// Between holds systems against one another.
	Between func(*EstateView, func(system int, found Hit))
	// SignIns looks at an account of which a record of sign-ins tells, and returns
	// what is told of it; "" for nothing. Record looks at what the record has of the
	// whole system.
	SignIns func(*SignInView) string
	Record  func(*RecordView, func(Hit))
	Seen    string // what was seen, in a few words behind a name or an address
	// Unused looks at exceptions of a system that cover nothing, once all else
	// was looked for.
	Unused func([]*rules.Exception, func(Hit))
}

// AcrossSystems reports whether a check needs more than one system to be
// looked at together.
func (c *Check) AcrossSystems() bool { return c.Person != nil || c.Between != nil }

// OfRecord reports whether a check needs a record of sign-ins.
func (c *Check) OfRecord() bool { return c.SignIns != nil || c.Record != nil }

// All lists every check. Adding one means an entry in one of these lists. All who
// ask get the same list, and change nothing in it.
func All() []Check { return all() }

var all = sync.OnceValue(func() []Check {
	return slices.Concat(accountChecks, settingsChecks, systemChecks, betweenChecks, signinChecks)
})

// IDs lists the names of all checks.
func IDs() []string {
	var ids []string
	for _, c := range All() {
		ids = append(ids, c.ID)
	}
	return ids
}

// Rule is how the check is named as a rule.
func (c *Check) Rule() rules.Rule { return rules.Check(c.ID) }

// An Adjustment changes a check for an estate.
type Adjustment struct {
	Off      bool
	Severity rules.Severity // 0: as it is
	Limit    *setting.Span
}

// Adjusted returns the check as an estate wants it; false where it is off.
func (c Check) Adjusted(by Adjustment) (Check, bool) {
	if by.Severity != 0 {
		c.Severity, c.IfPrivileged = by.Severity, by.Severity
	}
	if c.IfPrivileged == 0 {
		c.IfPrivileged = c.Severity
	}
	if by.Limit != nil {
		c.Limit = *by.Limit
	}
	return c, !by.Off
}

// Clause makes the clause that asks the question of a check on accounts; nil
// for any other.
func (c *Check) Clause() (*rules.Clause, error) {
	if c.Account == "" {
		return nil, nil
	}
	days := c.Limit.Length() / 86400
	text := strings.ReplaceAll(c.Account, "{limit}", "days("+strconv.FormatInt(days, 10)+")")
	forbid, known := compiled.Load(text)
	if !known {
		made, err := condition.Compile(strictyaml.Text{Value: text}, condition.Complete)
		if err != nil {
			return nil, fmt.Errorf("the check %s: %w", c.ID, err)
		}
		forbid, _ = compiled.LoadOrStore(text, made)
	}
	title := c.Titled()
	return &rules.Clause{Rule: c.Rule(), Forbid: forbid.(*condition.Condition), Says: title, Because: c.Doc, Remedy: c.Remedy}, nil
}

// compiled are the questions of checks, by their text: every system asks the same.
var compiled sync.Map

// Titled is the title with the limit that is set.
func (c *Check) Titled() string { return strings.ReplaceAll(c.Title, "{limit}", c.Limit.String()) }

// A Want is a phrase, as rules have it, about a setting.
type Want struct {
	Setting setting.ID
	Phrase  string
}

// wants is the same for whatever was found.
func wants(id setting.ID, phrase string) func(*SettingsView) []Want {
	return func(*SettingsView) []Want { return []Want{{id, phrase}} }
}

// A Hit is one thing that a check of systems found.
type Hit struct {
	Says   string
	Value  string // of which it is so, where exceptions may name that; "" for none
	Policy string
	Origin facts.Origin
	// Key is what makes it the same in the next run, where that is more than
	// Says and Policy.
	Key []string
}

// An Act is something done to one account.
type Act string

// All acts, in words that stand after "to".
const (
	NewPassword Act = "set a new password"
	AskNew      Act = "ask for a new password at the next sign-in"
	Shut        Act = "shut the account"
	Unlock      Act = "take the lock off"
	Unmark      Act = "take the mark off"
	SetOwn      Act = "give it the value that the rules ask"
)

// Marks are what to do about each mark on accounts, by the fact that it is.
var Marks = map[string]string{
	"never_expires": "take the mark \"password never expires\" off these accounts, or write down in an exception why it stays",
	"cannot_change": "allow these accounts to change their own password",
	"blank_allowed": "take the permission of an empty password off these accounts",
}

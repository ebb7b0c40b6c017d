package check

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/estate"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

// Prefix stands before a check's ID where a rule is named.
const Prefix = "check/"

// A Check looks for something that is wrong whatever the rules of the house
// are. It has one of Account, Settings and System.
type Check struct {
	ID           string
	Title        string // what is so where it hits; stands in findings of accounts and systems
	Doc          string // why it matters
	Remedy       string
	Severity     rules.Severity
	IfPrivileged rules.Severity // 0: as Severity
	Limit        setting.Span   // what {limit} in Account stands for; can be set in the estate file

	// Account is a condition on accounts, and Shows the fact that is told of
	// each example; "" for none.
	Account string
	Shows   string
	// Settings looks at what holds for accounts with the same settings, and
	// returns what is wrong; "" for nothing. A value that is not known is never
	// wrong.
	Settings func(*Look) string
	// System looks at a whole system after its accounts went past.
	System func(*Tally, func(Hit))
	// Across: it is found by holding systems against one another.
	Across bool
}

// All lists every check. Adding one means an entry in one of these lists.
func All() []Check {
	return slices.Concat(accountChecks, settingsChecks, systemChecks, acrossChecks)
}

// IDs lists the names of all checks.
func IDs() []string {
	var ids []string
	for _, c := range All() {
		ids = append(ids, c.ID)
	}
	return ids
}

// An Adjustment changes a check for an estate.
type Adjustment struct {
	Off      bool
	Severity rules.Severity // 0: as it is
	Limit    *setting.Span
}

// clauseOf makes the clause that asks an account check's question.
func clauseOf(c *Check, limit setting.Span) (*rules.Clause, error) {
	days := limit.Length() / 86400
	text := strings.ReplaceAll(c.Account, "{limit}", "days("+strconv.FormatInt(days, 10)+")")
	compiled, err := condition.Compile(strictyaml.Text{Value: text}, condition.Complete)
	if err != nil {
		return nil, fmt.Errorf("the check %s: %w", c.ID, err)
	}
	title := strings.ReplaceAll(c.Title, "{limit}", limit.String())
	return &rules.Clause{Rule: Prefix + c.ID, Forbid: compiled, Says: title, Because: c.Doc, Remedy: c.Remedy}, nil
}

// A Look is what a settings check sees.
type Look struct {
	holds    func(setting.ID) *effective.Setting
	asked    func(setting.ID) []setting.Value // what rules ask at least
	first    *effective.Candidate             // where the first known value that was looked at stands
	firstOf  setting.ID                       // the setting of which that is the value
	policies []string                         // where the values that were looked at stand
	personal bool                             // a value that was looked at stands on the account itself
}

// get returns the value of a setting.
func (l *Look) get(id setting.ID) setting.Value {
	s := l.holds(id)
	if s.From != nil {
		l.personal = l.personal || s.From.Level == effective.OnAccount
		if !slices.Contains(l.policies, s.From.Policy) {
			l.policies = append(l.policies, s.From.Policy)
		}
		if l.first == nil {
			l.first, l.firstOf = s.From, id
		}
	}
	return s.Value
}

// count returns an amount; false when it is off, unknown or no amount.
func (l *Look) count(id setting.ID) (int64, bool) { return l.get(id).Count() }

// seconds returns a length of time in seconds; false as for count.
func (l *Look) seconds(id setting.ID) (int64, bool) {
	span, ok := l.get(id).Span()
	return span.Length(), ok
}

func (l *Look) text(id setting.ID) string {
	return setting.At(id).Counted(l.holds(id).Value)
}

func (l *Look) off(id setting.ID) bool { return l.get(id).State() == setting.Off }

func (l *Look) yes(id setting.ID) bool {
	yes, ok := l.get(id).Flag()
	return ok && yes
}

func (l *Look) no(id setting.ID) bool {
	yes, ok := l.get(id).Flag()
	return ok && !yes
}

// A Tally is what a system check sees.
type Tally struct {
	System       *estate.System
	Accounts     int
	PolicyReach  map[string]int  // accounts by policy that reaches them
	PolicyWon    map[string]bool // policies of which some value holds for somebody
	Expiring     int             // accounts whose passwords expire in effect
	SecondFactor map[estate.Tri]int
	Optional     int // accounts for which a second factor is optional
}

// A Hit is one thing that a system check found.
type Hit struct {
	Says   string
	Policy string
	Origin estate.Origin
}

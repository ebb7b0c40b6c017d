// Package check holds systems against rules, account by account, and gathers
// findings. Accounts stream past; what is kept are counts and a few examples.
package check

import (
	"cmp"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"yewcone/core/condition"
	"yewcone/core/estate"
	"yewcone/core/gap"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// An Export is one system as its export tells it. Readers implement it.
type Export interface {
	// System returns what holds apart from the accounts.
	System() *estate.System
	// Accounts hands over each account in turn; the account is only good
	// until yield returns. It stops at the first error of yield and returns it.
	Accounts(yield func(*estate.Account) error) error
	// Notes returns what there is to say of the reading, in the order of the
	// files; complete only after Accounts.
	Notes() *estate.Notes
}

// An Unread names what a reader found in a file and did not use.
type Unread struct {
	File  string
	Names []string // columns, keys or attributes, in the order of their names
}

// A Skipper is an Export that knows what it did not use; complete only after
// Accounts.
type Skipper interface {
	Unread() []Unread
}

// A Subject is one system to check.
type Subject struct {
	Export     Export
	Kinds      []KindCondition // the first that holds names the kind
	Privileged *condition.Condition
	Rules      []*rules.Set
	Checks     map[string]Adjustment // by ID
	Exceptions []*rules.Exception    // of this system
	Bear       int                   // how many refused rows or values it may have, where that is more than the options say
	Unmatched  [3]bool               // keys of people, by their place, that say nothing on this system

	number int // its place among the subjects
}

// A KindCondition says which accounts are of a kind.
type KindCondition struct {
	Kind string
	If   *condition.Condition
}

// Options of a check.
type Options struct {
	// ValueOf returns what another system of the estate has of a setting, for
	// "same as"; unknown where it cannot be told. May be nil.
	ValueOf  func(system string, id setting.ID) setting.Value
	Examples int                  // how many accounts to name per finding
	Bear     int                  // how many refused rows or values a system may have and still count as read
	Jobs     int                  // how many systems to check, and parts of each, at a time; at least 1
	Each     func(*Reached) error // called for every account that a finding reaches; may be nil

	Across *Across // what to look for between systems; nil for nothing
	Spread bool    // count ages and ends of passwords too

	alone    bool          // work out each account's outcome on its own
	register *gap.Register // of people; nil where they are not matched
}

// Reached tells of one account that one finding reaches. It is only good
// until the call returns.
type Reached struct {
	System      string
	Fingerprint string
	Rule        string
	Account     *estate.Account
	Dates       *estate.Dates
}

// Run checks all systems, Options.Jobs of them at a time. The result is the
// same whatever their number.
func Run(name string, subjects []Subject, o Options) (*Result, error) {
	result := &Result{Estate: name}
	jobs := max(1, o.Jobs)
	if o.Each != nil {
		jobs = 1 // each account is handed over in its order
	}
	if o.Across != nil && len(o.Across.Match) > 0 && len(subjects) > 1 {
		o.register = gap.NewRegister(o.Across.Match, len(subjects))
	}
	engines := make([]*engine, len(subjects))
	for i := range subjects {
		subjects[i].number = i
		var err error
		if engines[i], err = newEngine(&subjects[i], &o); err != nil {
			return nil, err
		}
	}
	var group errgroup.Group
	group.SetLimit(jobs)
	for _, e := range engines {
		group.Go(func() error {
			if err := e.read(jobs); err != nil {
				return err
			}
			return e.finish()
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	if o.Across != nil {
		var err error
		if result.Gaps, err = across(engines, &o, o.register); err != nil {
			return nil, err
		}
		result.unusedRules(o.Across.Unused, subjects)
	}
	for _, e := range engines {
		e.report(result)
	}
	order := map[string]int{}
	for i, s := range result.Systems {
		order[s.Name] = i
	}
	worstFirst := func(a, b Finding) int {
		return cmp.Or(cmp.Compare(b.Severity, a.Severity), cmp.Compare(b.Reach.Accounts, a.Reach.Accounts),
			cmp.Compare(order[a.System], order[b.System]), strings.Compare(a.Rule, b.Rule),
			strings.Compare(a.Fingerprint, b.Fingerprint), strings.Compare(a.Sentence, b.Sentence))
	}
	slices.SortStableFunc(result.Findings, worstFirst)
	slices.SortStableFunc(result.Accepted, worstFirst)
	return result, nil
}

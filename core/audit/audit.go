// Package audit holds systems against rules and built-in checks, account by
// account, and gathers findings. Accounts stream past; what is kept are counts
// and a few examples.
package audit

import (
	"errors"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"

	"yewcone/core/check"
	"yewcone/core/condition"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/signin"
	"yewcone/core/spool"
)

// A Subject is one system to check.
type Subject struct {
	Export     facts.Export
	Kinds      []KindCondition // the first that holds names the kind
	Privileged *condition.Condition
	Rules      []*rules.Set
	Checks     map[string]check.Adjustment // by ID
	Exceptions []*rules.Exception          // of this system
	Owner      string                      // who answers for it
	Depends    []string                    // what breaks when a password changes
	// Irreversible says what to save before a setting is changed, since it cannot
	// be taken back.
	Irreversible map[setting.ID]string
	MaxRefused   int            // how many refused rows or values it may have, where that is more than the options say
	Record       *signin.Record // of its sign-ins; nil where the estate names none
	Unmatched    [3]bool        // keys of people, by their place, that say nothing on this system

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
	ValueOf func(system string, id setting.ID) setting.Value
	// Now is the moment of the run, for rules with steps where no export says its own.
	Now        time.Time
	Examples   int                  // how many accounts to name per finding
	MaxRefused int                  // how many refused rows or values a system may have and still count as read
	Jobs       int                  // how many systems to check, and parts of each, at a time; at least 1
	Each       func(*Reached) error // called for every account that a finding reaches; may be nil

	Progress *atomic.Int64 // of accounts that went past; may be nil
	SignIns  *atomic.Int64 // of records that were read; may be nil

	NoRecords bool       // leave records of sign-ins unread
	Relations *Relations // between systems; nil where they are not looked at
	Spread    bool       // count ages and ends of passwords too

	// Singly makes every row an account and works out each on its own. The same
	// comes out, slower: for tests that hold the quick way against it.
	Singly bool

	// Scratch makes a file for what does not stay in memory; nil for none.
	Scratch  func() (spool.Scratch, error)
	Portions []*Portion    // what other processes have judged of the same exports; none for all here
	share    *Share        // what this process judges for another; nil for all
	register *gap.Register // of people; nil where they are not matched
	aside    *spool.Spool  // what is noted of accounts
}

// Reached tells of one account that one finding reaches. It is only good
// until the call returns.
type Reached struct {
	System      string
	Fingerprint string
	Rule        rules.Rule
	Account     *facts.Account
	Derived     *facts.Derived
	Detail      string // the fact that matters for the rule, in words
}

// begin makes what a run over so many systems notes things in.
func (o *Options) begin(systems int) {
	o.aside = &spool.Spool{Open: o.Scratch}
	if o.Relations != nil && len(o.Relations.Match) > 0 && systems > 1 {
		o.register = gap.NewRegister(o.Relations.Match, systems)
	}
}

// Run checks all systems, Options.Jobs of them at a time. The result is the
// same whatever their number.
func Run(name string, subjects []Subject, o Options) (_ *finding.Result, err error) {
	result := &finding.Result{Estate: name}
	o.begin(len(subjects))
	jobs := max(1, o.Jobs)
	if o.Each != nil {
		jobs = 1 // each account is handed over in its order
	}
	engines := make([]*engine, len(subjects))
	for i := range subjects {
		subjects[i].number = i
		var err error
		if engines[i], err = newEngine(&subjects[i], &o); err != nil {
			return nil, err
		}
	}
	defer func() { err = errors.Join(err, o.aside.Close()) }()
	var group errgroup.Group
	group.SetLimit(jobs)
	for i := range engines {
		group.Go(func() (err error) {
			if engines[i], err = readOnce(engines[i], jobs); err != nil {
				return err
			}
			defer engines[i].forget()
			return engines[i].finish(jobs)
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	if o.Relations != nil {
		if err := relate(engines, &o, result); err != nil {
			return nil, err
		}
	}
	for _, e := range engines {
		e.report(result)
	}
	result.Sort()
	return result, nil
}

package audit

import (
	"yewcone/core/effective"
	"yewcone/core/finding"
	"yewcone/core/setting"
)

// ledger is what was found in the accounts of a system: findings in the
// making and unknowns, each with the accounts that it reaches.
type ledger struct {
	examples int
	groups   map[reason]*group
	unknowns map[unknownKey]*unknown
	reaches  []reached // of all groups and unknowns
}

// noSetting stands in the place of a setting where there is none.
const noSetting setting.ID = -1

// reason is what makes one finding out of hits.
type reason struct {
	rule       int
	setting    setting.ID // noSetting where it is not about one setting
	value      setting.Value
	policy     string
	level      effective.Level
	text       string
	among      string // the policies together, where a check looked at several
	privileged bool   // only where privileged accounts weigh more
	exception  int    // counted from 1; 0 for none
}

// group is one finding in the making.
type group struct {
	finding finding.Finding
	rule    *rule
	reach   finding.Reach
	place   uint32 // in ledger.reaches
	first   int64  // the place of the account that it was made for
	ended   int    // the first exception that covered some of it and does no more, counted from 1
}

type unknownKey struct {
	setting setting.ID // noSetting for a fact
	fact    string
	rule    int
}

type unknown struct {
	reach finding.Reach
	place uint32 // in ledger.reaches
}

// reached is something that accounts are entered into.
type reached struct {
	reach *finding.Reach
	group *group // nil for what is unknown
}

func newLedger(examples int) ledger {
	return ledger{examples: examples, groups: map[reason]*group{}, unknowns: map[unknownKey]*unknown{}}
}

func (l *ledger) addReach(r reached) uint32 {
	l.reaches = append(l.reaches, r)
	return uint32(len(l.reaches) - 1)
}

func (l *ledger) addGroup(why reason, g *group) {
	l.groups[why] = g
	g.place = l.addReach(reached{&g.reach, g})
}

// unknownAt is the place of what is not known, among the reaches.
func (l *ledger) unknownAt(key unknownKey) uint32 {
	u, ok := l.unknowns[key]
	if !ok {
		u = &unknown{}
		u.place = l.addReach(reached{reach: &u.reach})
		l.unknowns[key] = u
	}
	return u.place
}

// sumUp adds the accounts of an outcome to all that it reaches.
func (l *ledger) sumUp(o *outcome) {
	for _, n := range o.reaches {
		r := l.reaches[n].reach
		r.Accounts += o.accounts
		r.Audiences[o.audience] += o.accounts
		if o.privileged {
			r.Privileged += o.accounts
		}
		if o.unranked {
			r.Unranked += o.accounts
		}
		if o.disabled {
			r.Disabled += o.accounts
		}
	}
	o.accounts = 0
}

// merge adds what was found in other accounts of the same export.
func (l *ledger) merge(o *ledger) {
	for why, other := range o.groups {
		mine, ok := l.groups[why]
		if !ok {
			l.groups[why] = other
			continue
		}
		if other.first < mine.first {
			mine, other = other, mine
			l.groups[why] = mine
		}
		if other.ended > 0 && (mine.ended == 0 || other.ended < mine.ended) {
			mine.ended, mine.finding.Ended, mine.finding.Outgrown = other.ended, other.finding.Ended, other.finding.Outgrown
		}
		mine.reach.Merge(&other.reach, l.examples)
	}
	for key, other := range o.unknowns {
		if mine, ok := l.unknowns[key]; ok {
			mine.reach.Merge(&other.reach, l.examples)
		} else {
			l.unknowns[key] = other
		}
	}
}

package check

import (
	"cmp"
	"fmt"
	"slices"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/estate"
	"yewcone/core/gap"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// engine checks one system.
type engine struct {
	subject    *Subject
	options    *Options
	system     *estate.System
	resolver   *effective.Resolver
	sources    []source
	clauses    []int // the sources that ask like clauses
	rulesSince int64
	limits     map[setting.ID]requirement.Requirement
	asked      map[setting.ID][]setting.Value
	exceptions []*exceptionUse

	about    condition.Subject
	reach    []estate.Tri
	verdicts map[*effective.Settings]*verdict
	latest   *verdict // the last one asked for
	judged   uint32   // how many verdicts were made, for their numbers
	empty    *verdict // of accounts that have no password
	groups   map[groupKey]*group
	unknowns map[unknownKey]*Reach
	reaches  []reached // of all groups and unknowns

	unknownPlaces map[unknownKey]uint32 // in reaches

	missing []string
	marks   []uint64 // of stored passwords
	tally   Tally
	summary SystemResult

	profile *gap.Profile
	people  []gap.Entry // that are not in the register yet
	stale   int64       // seconds after which a person's password counts as old

	pattern  condition.Pattern
	key      []byte
	outcomes map[string]*outcome
	fresh    outcome // that is being gathered
	place    int64   // of the account at hand, in the order of the export
}

// source is what findings come from: a clause of a rule set, or a check.
type source struct {
	rule         string
	severity     rules.Severity
	ifPrivileged rules.Severity
	because      string
	remedy       string

	clause     *rules.Clause // nil for checks of settings and systems
	expect     []expectation
	anyOf      [][]expectation
	replacedBy []int
	settings   func(*Look) string
	system     func(*Tally, func(Hit))
	exceptions []*exceptionUse
	shows      *condition.Fact // told of each example; may be nil
	across     bool            // found by holding systems against one another

	forbidden hit // what accounts that the clause forbids are entered as

	reached, broken, open bool
}

// expectation is one of a clause's, made ready for this system.
type expectation struct {
	setting     setting.ID
	requirement requirement.Requirement
	beyond      bool          // no value that the system can take meets it
	nearest     setting.Value // where beyond: the nearest that it can
}

// verdict is how settings that many accounts share come out, by source.
type verdict struct {
	number   uint32
	settings *effective.Settings
	hits     [][]hit
	unknown  [][]setting.ID
	checks   []int // the settings checks that hit

	accounts     int
	audiences    [gap.Rest + 1]int // of accounts that a password lets in
	secondFactor [3]int            // accounts that are not switched off, by estate.Tri
}

// hit is one thing that is wrong with settings.
type hit struct {
	key   groupKey
	from  *effective.Candidate
	about setting.ID   // the setting of which from is the value
	want  *expectation // nil for checks, and where several would do
}

// groupKey is the reason of a finding.
type groupKey struct {
	source     int
	setting    setting.ID // -1 where it is not about one setting
	value      setting.Value
	policy     string
	level      effective.Level
	text       string
	among      string // the policies together, where a check looked at several
	privileged bool   // only where privileged accounts weigh more
	exception  int    // counted from 1; 0 for none
}

type group struct {
	finding Finding
	source  *source
	reach   Reach
	place   uint32 // in engine.reaches
	first   int64  // the place of the account that it was made for
	ended   int    // the first exception that covered some of it and has ended, counted from 1
}

type unknownKey struct {
	setting setting.ID // -1 for a fact
	fact    string
	source  int
}

func newEngine(s *Subject, o *Options) (*engine, error) {
	system := s.Export.System()
	e := &engine{
		subject: s, options: o, system: system,
		resolver: effective.NewResolver(system),
		verdicts: map[*effective.Settings]*verdict{},
		groups:   map[groupKey]*group{},
		unknowns: map[unknownKey]*Reach{},

		profile:       gap.NewProfile(system.Name),
		unknownPlaces: map[unknownKey]uint32{},
		asked:         map[setting.ID][]setting.Value{},
		outcomes:      map[string]*outcome{},
		tally: Tally{System: system, PolicyReach: map[string]int{}, PolicyWon: map[string]bool{},
			SecondFactor: map[estate.Tri]int{}},
	}
	if err := e.readLimits(); err != nil {
		return nil, err
	}
	for _, set := range s.Rules {
		e.summary.Rules = append(e.summary.Rules, set.Name)
		if !set.InForce.IsZero() {
			e.rulesSince = max(e.rulesSince, set.InForce.Unix())
		}
		for i := range set.Clauses {
			e.addClause(&set.Clauses[i])
		}
	}
	e.linkReplaced()
	if err := e.addChecks(); err != nil {
		return nil, err
	}
	e.linkExceptions()
	if o.Spread {
		e.summary.Dates = &Spread{}
	}
	stale := e.limitOf(personStale)
	e.stale = stale.Length()
	e.about.System = system
	e.about.Dates.AsOf, e.about.Dates.AsOfKnown = system.AsOf.Unix(), !system.AsOf.IsZero()
	e.reach = make([]estate.Tri, len(e.sources))
	for i := range e.sources {
		e.sources[i].forbidden.key = groupKey{source: i, setting: -1}
		if e.sources[i].clause != nil {
			e.clauses = append(e.clauses, i)
			e.pattern.Add(e.sources[i].clause.For)
			e.pattern.Add(e.sources[i].clause.Forbid)
		}
	}
	for _, use := range e.exceptions {
		e.pattern.Add(use.exception.Accounts)
	}
	e.empty = &verdict{hits: make([][]hit, len(e.sources)), unknown: make([][]setting.ID, len(e.sources))}
	return e, nil
}

func (e *engine) readLimits() error {
	e.limits = map[setting.ID]requirement.Requirement{}
	for id, limit := range e.system.Limits {
		r, err := requirement.Parse(setting.At(id), limit.Phrase)
		if err != nil {
			return fmt.Errorf("%s: limits of %s: %w", limit.Origin, e.system.Name, err)
		}
		e.limits[id] = r
	}
	return nil
}

func (e *engine) addClause(c *rules.Clause) {
	s := source{rule: c.Rule, severity: c.Severity, ifPrivileged: c.IfPrivileged, because: c.Because, remedy: c.Remedy, clause: c}
	s.expect = e.prepare(c.Expect)
	for _, list := range c.AnyOf {
		s.anyOf = append(s.anyOf, e.prepare(list))
	}
	e.sources = append(e.sources, s)
}

// prepare resolves "same as", and finds what the system cannot do.
func (e *engine) prepare(list []rules.Expectation) []expectation {
	var out []expectation
	for _, x := range list {
		p := expectation{setting: x.Setting, requirement: x.Requirement}
		if len(x.Requirement.Systems()) > 0 && e.options.ValueOf != nil {
			p.requirement = x.Requirement.Resolve(func(system string) setting.Value { return e.options.ValueOf(system, x.Setting) })
		}
		if limit, ok := e.limits[x.Setting]; ok {
			if _, possible := requirement.Together(p.requirement, limit); !possible {
				p.beyond, p.nearest = true, p.requirement.Nearest(limit)
			}
		}
		e.asked[x.Setting] = append(e.asked[x.Setting], p.requirement.Named()...)
		out = append(out, p)
	}
	return out
}

func (e *engine) linkReplaced() {
	for i := range e.sources {
		for _, name := range e.sources[i].clause.Replaces {
			for j := range e.sources {
				if e.sources[j].rule == name {
					e.sources[j].replacedBy = append(e.sources[j].replacedBy, i)
				}
			}
		}
	}
}

func (e *engine) addChecks() error {
	for _, c := range All() {
		change := e.subject.Checks[c.ID]
		if change.Off {
			continue
		}
		s := source{rule: Prefix + c.ID, severity: c.Severity, ifPrivileged: cmp.Or(c.IfPrivileged, c.Severity),
			because: c.Doc, remedy: c.Remedy, settings: c.Settings, system: c.System, shows: condition.FindFact(c.Shows),
			across: c.Across}
		if change.Severity != 0 {
			s.severity, s.ifPrivileged = change.Severity, change.Severity
		}
		if c.Account != "" {
			limit := c.Limit
			if change.Limit != nil {
				limit = *change.Limit
			}
			var err error
			if s.clause, err = clauseOf(&c, limit); err != nil {
				return err
			}
			if e.pointless(c.ID) {
				continue
			}
		}
		e.sources = append(e.sources, s)
	}
	return nil
}

// pointless: no account falls under a policy where the export has none, and
// none is older than its policy where nothing tells when policies changed.
func (e *engine) pointless(id string) bool {
	switch id {
	case "no-policy":
		return len(e.system.Policies) == 0
	case "older-than-policy":
		return !slices.ContainsFunc(e.system.Policies, func(p estate.Policy) bool { return p.Changed.Known() })
	}
	return false
}

package audit

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"yewcone/core/check"
	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// engine checks one system.
type engine struct {
	ledger

	subject    *Subject
	options    *Options
	system     *facts.System
	resolver   *effective.Resolver
	rules      []rule
	clauses    []int // the rules that ask like clauses
	rulesSince int64
	since      []sinceStep // of those in force
	ahead      []stepAhead
	limits     map[setting.ID]requirement.Requirement
	asked      map[setting.ID][]setting.Value
	exceptions []*exceptionUse

	about    condition.Subject
	reach    []facts.Tri // of the rules, for the account at hand
	verdicts map[*effective.Settings]*verdict
	latest   *verdict // the last one asked for
	counted  *verdict // of the settings of the account at hand, also where no password is asked of it
	judged   uint32   // how many verdicts were made, for their numbers
	empty    *verdict // of accounts that have no password
	missing  []string

	marks   parted  // of stored passwords
	names   names   // that were seen
	signins signIns // of a record, where there is one
	view    check.SystemView
	summary finding.SystemResult

	noting            *beginnings    // of the part at hand; nil where nobody asks
	prefixes          map[string]int // of the first accounts; nil where they are not known
	kindMatched       []bool         // by Subject.Kinds: some account is of it
	privilegedMatched bool

	profile   *gap.Profile
	sightings *sightings
	seen      []*sightings // of all engines of the system
	stale     int64        // seconds after which a person's password counts as old

	share    *sharing // what is noted for another process; nil where all is done in this
	met      met      // accounts that need not be filled in again
	pattern  condition.Pattern
	excused  condition.Pattern // what exceptions ask
	key      []byte
	outcomes map[string]*outcome
	fresh    outcome // that is being gathered
	told     string  // of the account at hand, in place of the fact that a rule shows
	place    int64   // of the account at hand, in the order of the export
}

// rule is what findings come from: a clause of a rule set, or a check.
type rule struct {
	id           rules.Rule
	severity     rules.Severity
	ifPrivileged rules.Severity
	because      string
	remedy       string

	clause     *rules.Clause // nil for checks that are no conditions on accounts
	check      *check.Check  // nil for clauses of rule sets
	expect     []expectation
	anyOf      [][]expectation
	replacedBy []int
	exceptions []*exceptionUse
	shows      *condition.Fact // told of each example; may be nil

	forbidden hit // what accounts that the clause forbids are entered as

	reached, broken, open bool
	matched               bool // the clause's "for" is so for some account
	heeded                bool // others replace the clause, or it them, or a step of it is ahead
	moves                 bool // what the clause says of two accounts may differ though they do in nothing but dates
}

// expectation is one of a clause's, made ready for this system.
type expectation struct {
	setting     setting.ID
	requirement requirement.Requirement
	beyond      bool          // no value that the system can take meets it
	nearest     setting.Value // where beyond: the nearest that it can
}

func newEngine(s *Subject, o *Options) (*engine, error) {
	system := s.Export.System()
	e := &engine{
		ledger:  newLedger(o.Examples),
		subject: s, options: o, system: system,
		resolver: effective.NewResolver(system),
		verdicts: map[*effective.Settings]*verdict{},
		profile:  gap.NewProfile(system.Name),
		asked:    map[setting.ID][]setting.Value{},
		outcomes: map[string]*outcome{}, sightings: &sightings{}, names: names{census: &census{}},
		view: check.NewSystemView(system),

		kindMatched: make([]bool, len(s.Kinds)),
	}
	var err error
	if e.limits, err = Limits(system); err != nil {
		return nil, err
	}
	for _, set := range s.Rules {
		set = set.At(momentOf(s, o))
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
	e.prepareSteps()
	e.linkExceptions()
	if o.Spread {
		e.summary.Spread = &finding.Spread{}
	}
	e.about.System = system
	e.about.Derived.AsOf, e.about.Derived.AsOfKnown = system.AsOf.Unix(), !system.AsOf.IsZero()
	e.reach = make([]facts.Tri, len(e.rules))
	for i := range e.rules {
		r := &e.rules[i]
		r.forbidden.reason = reason{rule: i, setting: noSetting}
		if r.clause != nil {
			e.clauses = append(e.clauses, i)
			e.pattern.Add(r.clause.For)
			e.pattern.Add(r.clause.Forbid)
			r.moves = r.heeded || len(r.exceptions) > 0 || r.clause.For.Dated() || r.clause.Forbid.Dated()
		}
	}
	for _, use := range e.exceptions {
		e.pattern.Add(use.exception.Accounts)
		e.excused.Add(use.exception.Accounts)
	}
	e.empty = &verdict{hits: make([][]hit, len(e.rules)), unknown: make([][]setting.ID, len(e.rules))}
	return e, nil
}

// Limits are what a system can do at all, by setting.
func Limits(system *facts.System) (map[setting.ID]requirement.Requirement, error) {
	limits := map[setting.ID]requirement.Requirement{}
	for id, limit := range system.Limits {
		r, err := requirement.Parse(setting.At(id), limit.Phrase)
		if err != nil {
			return nil, fmt.Errorf("%s: limits of %s: %w", limit.Origin, system.Name, err)
		}
		limits[id] = r
	}
	return limits, nil
}

func (e *engine) addClause(c *rules.Clause) {
	r := rule{id: c.Rule, severity: c.Severity, ifPrivileged: c.IfPrivileged, because: c.Because, remedy: c.Remedy, clause: c}
	r.expect = e.prepare(c.Expect)
	for _, list := range c.AnyOf {
		r.anyOf = append(r.anyOf, e.prepare(list))
	}
	e.rules = append(e.rules, r)
}

// prepare resolves "same as", and finds what the system cannot do.
func (e *engine) prepare(list []rules.Expectation) []expectation {
	var out []expectation
	for _, x := range list {
		p := e.prepareOne(x.Setting, x.Requirement)
		e.asked[x.Setting] = append(e.asked[x.Setting], p.requirement.Named()...)
		out = append(out, p)
	}
	return out
}

func (e *engine) prepareOne(id setting.ID, asked requirement.Requirement) expectation {
	p := expectation{setting: id, requirement: asked}
	if len(asked.Systems()) > 0 && e.options.ValueOf != nil {
		p.requirement = asked.Resolve(func(system string) setting.Value { return e.options.ValueOf(system, id) })
	}
	if limit, ok := e.limits[id]; ok {
		if _, possible := requirement.Together(p.requirement, limit); !possible {
			p.beyond, p.nearest = true, p.requirement.Nearest(limit)
		}
	}
	return p
}

func (e *engine) linkReplaced() {
	for i := range e.rules {
		if e.rules[i].clause.Waits() {
			continue
		}
		for _, name := range e.rules[i].clause.Replaces {
			for j := range e.rules {
				if e.rules[j].id.String() == name {
					e.rules[j].replacedBy = append(e.rules[j].replacedBy, i)
					e.rules[i].heeded, e.rules[j].heeded = true, true
				}
			}
		}
	}
}

func (e *engine) addChecks() error {
	for _, c := range check.All() {
		c, on := c.Adjusted(e.subject.Checks[c.ID])
		if c.Stale {
			e.stale = c.Limit.Length()
		}
		if !on || c.Applies != nil && !c.Applies(e.system) || c.OfRecord() && (e.subject.Record == nil || e.options.NoRecords) {
			continue
		}
		clause, err := c.Clause()
		if err != nil {
			return err
		}
		e.rules = append(e.rules, rule{id: c.Rule(), severity: c.Severity, ifPrivileged: c.IfPrivileged, because: c.Doc,
			remedy: c.Remedy, clause: clause, check: &c, shows: condition.FindFact(c.Shows)})
	}
	return nil
}

// ruleOf finds a check among the rules; false where it is off or does not
// apply.
func (e *engine) ruleOf(id string) (int, bool) {
	i := slices.IndexFunc(e.rules, func(r rule) bool { return r.check != nil && r.check.ID == id })
	return i, i >= 0
}

// afterReplacing is the reach of a clause once those that replace it are
// taken off.
func (e *engine) afterReplacing(i int) facts.Tri {
	reach := e.reach[i]
	for _, j := range e.rules[i].replacedBy {
		if reach == facts.No || e.reach[j] == facts.Yes {
			return facts.No
		}
		if e.reach[j] == facts.Unknown {
			reach = facts.Unknown
		}
	}
	return reach
}

// reachFacts lists the unknown facts that decide whether a clause reaches the
// account at hand, those of the clauses that may replace it too.
func (e *engine) reachFacts(i int) []string {
	list := e.rules[i].clause.For.UnknownFacts(&e.about, e.missing[:0])
	for _, n := range e.rules[i].replacedBy {
		if e.reach[n] == facts.Unknown {
			list = e.rules[n].clause.For.UnknownFacts(&e.about, list)
		}
	}
	return list
}

// describe puts a hit into words.
func (e *engine) describe(f *finding.Finding, h *hit, privileged bool) {
	f.Policy = h.reason.policy
	if f.OnAccount = h.reason.level == effective.OnAccount; f.OnAccount {
		f.Policy = ""
	}
	if h.from != nil {
		f.Origin = h.from.Origin
	}
	r := &e.rules[h.reason.rule]
	switch {
	case h.want != nil:
		short := finding.Shortfall{Setting: h.want.setting, Value: h.reason.value, Asked: h.want.requirement}
		if h.want.beyond {
			limit := e.limits[h.want.setting]
			short.Limit, short.Nearest = &limit, h.want.nearest
		}
		f.Describe(&short)
	case h.reason.text != "":
		f.Sentence = h.reason.text
		f.Asked = cmp.Or(f.Asked, r.because)
		f.Remedy = cmp.Or(f.Remedy, "make one of these hold")
	default:
		f.Sentence = r.clause.Says
		f.Asked = "not: " + r.clause.Forbid.String()
		if f.Sentence == "" {
			f.Sentence = "accounts of which the rules forbid: " + r.clause.Forbid.String()
		}
		f.Remedy = cmp.Or(f.Remedy, "put these accounts in order, or write down why they may stay as they are")
	}
	f.Value = cmp.Or(f.Value, h.value)
	f.Fingerprint = e.fingerprint(f, h, privileged)
	f.Wants, f.Also = h.wants, h.also
	if own := r.remedy == ""; own && len(h.wants) == 1 {
		switch w := &h.wants[0]; {
		case w.Mark != "":
			f.Remedy = check.Marks[w.Mark]
		case strings.HasSuffix(w.Origin.Text, facts.FixedInMapping):
			f.Remedy += "; it is fixed in the mapping: change the application where it can be, and then that line"
		}
	}
	if r.check != nil {
		f.Mark, f.Opens, f.OfRecord, f.Seen, f.SeenOrder = r.check.Mark, r.check.Opens, r.check.OfRecord(), r.check.Seen, h.reason.rule
	}
}

// fingerprint is made of what makes a finding what it is: the value and the
// text only where they stand on accounts or between systems.
func (e *engine) fingerprint(f *finding.Finding, h *hit, privileged bool) string {
	if h.key != nil {
		return finding.Fingerprint(append([]string{f.System, f.Rule.String()}, h.key...)...)
	}
	value, rank, text := "", "", ""
	if h.reason.level == effective.OnAccount {
		value, text = f.Value, h.reason.text
	}
	if f.Between {
		text = h.reason.text
	}
	if privileged {
		rank = "privileged"
	}
	return finding.Fingerprint(f.System, f.Rule.String(), f.Setting, f.Policy, value+text+h.reason.among, rank)
}

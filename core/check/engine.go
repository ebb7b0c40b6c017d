package check

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/estate"
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
	empty    *verdict // of accounts that have no password
	groups   map[groupKey]*group
	unknowns map[unknownKey]*Reach
	missing  []string
	marks    []uint64 // of stored passwords
	tally    Tally
	summary  SystemResult
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
	hits    [][]hit
	unknown [][]setting.ID
	checks  []int // the settings checks that hit
}

// hit is one thing that is wrong with settings.
type hit struct {
	key  groupKey
	from *effective.Candidate
	want *expectation // nil for checks, and where several would do

	// The groups that the hit was entered into, without and with privilege,
	// where no exception can part them.
	entered [2]*group
}

// groupKey is the reason of a finding.
type groupKey struct {
	source     int
	setting    setting.ID // -1 where it is not about one setting
	value      setting.Value
	policy     string
	level      effective.Level
	text       string
	privileged bool // only where privileged accounts weigh more
	exception  *exceptionUse
}

type group struct {
	finding Finding
	reach   Reach
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
		resolver: effective.NewResolver(o.Catalogue, system),
		verdicts: map[*effective.Settings]*verdict{},
		groups:   map[groupKey]*group{},
		unknowns: map[unknownKey]*Reach{},
		asked:    map[setting.ID][]setting.Value{},
		tally:    Tally{System: system, PolicyReach: map[string]int{}, PolicyWon: map[string]bool{}, SecondFactor: map[estate.Tri]int{}},
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
	e.reach = make([]estate.Tri, len(e.sources))
	for i := range e.sources {
		e.sources[i].forbidden.key = groupKey{source: i, setting: -1}
		if e.sources[i].clause != nil {
			e.clauses = append(e.clauses, i)
		}
	}
	e.empty = &verdict{hits: make([][]hit, len(e.sources)), unknown: make([][]setting.ID, len(e.sources))}
	return e, nil
}

func (e *engine) readLimits() error {
	e.limits = map[setting.ID]requirement.Requirement{}
	for id, limit := range e.system.Limits {
		r, err := requirement.Parse(e.options.Catalogue.At(id), limit.Phrase)
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
		s := source{rule: Prefix + c.ID, severity: c.Severity, ifPrivileged: cmp.Or(c.IfPrivileged, c.Severity), because: c.Doc, remedy: c.Remedy, settings: c.Settings, system: c.System, shows: condition.FindFact(c.Shows)}
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

func (e *engine) run() error {
	err := readAhead(e.subject.Export, e.account)
	if err != nil {
		return err
	}
	if err := e.sameStored(); err != nil {
		return err
	}
	if e.summary.Accounts > 0 {
		return e.systemChecks()
	}
	notes := e.subject.Export.Notes()
	switch {
	case len(e.system.Policies) > 0:
		notes.Remark(estate.Origin{}, "the export names no accounts; only clauses without \"for\" and \"forbid\" are judged, on its policies")
		return e.withoutAccounts()
	case !notes.Partial():
		notes.Cut(estate.Origin{}, "the export holds neither accounts nor policies; check that \"from\" names the right files and \"read\" their format")
	}
	return nil
}

// withoutAccounts checks the policies of a system whose export names no
// accounts, as they would hold for an account of which nothing is known.
func (e *engine) withoutAccounts() error {
	names := []string{""}
	if e.system.Chooses != estate.ChooseSingle {
		for _, p := range e.system.Policies {
			names = append(names, p.Name)
		}
	}
	for _, name := range names {
		settings := e.resolver.For(&estate.Account{Policy: name})
		v := e.judge(settings)
		for i := range e.sources {
			if s := &e.sources[i]; s.system == nil && (s.clause == nil || s.clause.For == nil) {
				s.reached = true
				if err := e.settings(i, v, nil); err != nil {
					return err
				}
			}
		}
	}
	return e.systemChecks()
}

// meet classifies an account and works out what holds for it.
func (e *engine) meet(a *estate.Account) *effective.Settings {
	e.about = condition.Subject{Account: a, System: e.system}
	e.about.Dates.AsOf, e.about.Dates.AsOfKnown = e.system.AsOf.Unix(), !e.system.AsOf.IsZero()
	e.classify(a)
	settings := e.resolver.For(a)
	effective.SettleLock(a, settings, e.system)
	e.about.Dates = effective.DatesOf(a, settings, e.system, e.rulesSince)
	return settings
}

func (e *engine) account(a *estate.Account) error {
	settings := e.meet(a)
	e.count(a, settings)
	v := e.judge(settings)
	if withoutPassword(a) {
		v = e.empty
	}
	for _, i := range v.checks {
		if err := e.settings(i, v, a); err != nil {
			return err
		}
	}
	for _, i := range e.clauses {
		e.reach[i] = e.sources[i].clause.For.Test(&e.about)
	}
	for _, i := range e.clauses {
		if err := e.clause(i, v, a); err != nil {
			return err
		}
	}
	return nil
}

// clause holds one account against one clause, or a check that asks like one.
func (e *engine) clause(i int, v *verdict, a *estate.Account) error {
	s := &e.sources[i]
	reach := e.afterReplacing(i)
	if reach == estate.No {
		return nil
	}
	s.reached = true
	forbidden := estate.No
	if s.clause.Forbid != nil {
		forbidden = s.clause.Forbid.Test(&e.about)
	}
	if reach == estate.Unknown {
		if forbidden != estate.No || v.hits[i] != nil || v.unknown[i] != nil {
			e.unknownFacts(i, s.clause.For, a)
		}
		return nil
	}
	if err := e.settings(i, v, a); err != nil {
		return err
	}
	switch forbidden {
	case estate.Yes:
		return e.enter(&s.forbidden, a)
	case estate.Unknown:
		e.unknownFacts(i, s.clause.Forbid, a)
	}
	return nil
}

// withoutPassword reports whether no password lets the account in, nor would
// one once a lock is taken off: then there is no password of which settings
// could demand anything.
func withoutPassword(a *estate.Account) bool {
	return a.PasswordUsable == estate.No && a.Locked != estate.Yes
}

// classify works out the account's kind and whether it is privileged. Where
// the estate file says which accounts are of other kinds, and the export does
// not say the kind itself, the rest are people.
func (e *engine) classify(a *estate.Account) {
	if len(e.subject.Kinds) > 0 {
		a.Kind = e.kindOf(a)
	}
	if e.subject.Privileged != nil {
		a.Privileged = e.subject.Privileged.Test(&e.about)
	}
}

func (e *engine) kindOf(a *estate.Account) string {
	for _, k := range e.subject.Kinds {
		switch k.If.Test(&e.about) {
		case estate.Yes:
			return k.Kind
		case estate.Unknown:
			return ""
		}
	}
	return cmp.Or(a.Kind, estate.Person)
}

var (
	maxAge       = setting.Must("max_age")
	secondFactor = setting.Must("second_factor")
	// optional is the choice "optional" of second_factor.
	optional = setting.ChoiceAt(1)
)

// count keeps the sums of a system.
func (e *engine) count(a *estate.Account, s *effective.Settings) {
	e.summary.Accounts++
	if a.Privileged == estate.Yes {
		e.summary.Privileged++
	}
	if a.Enabled == estate.No {
		e.summary.Disabled++
	}
	for _, p := range s.Reach {
		e.tally.PolicyReach[p.Name]++
	}
	if _, ok := s.Get(maxAge).Value.Span(); ok {
		e.tally.Expiring++
	}
	if s.Get(secondFactor).Value == optional && a.Enabled != estate.No {
		e.tally.Optional++
		e.tally.SecondFactor[a.SecondFactor]++
	}
	if a.StoredMark != 0 && a.Enabled != estate.No {
		e.marks = append(e.marks, a.StoredMark)
	}
}

// afterReplacing is the reach of a clause once those that replace it are
// taken off.
func (e *engine) afterReplacing(i int) estate.Tri {
	reach := e.reach[i]
	for _, j := range e.sources[i].replacedBy {
		if reach == estate.No || e.reach[j] == estate.Yes {
			return estate.No
		}
		if e.reach[j] == estate.Unknown {
			reach = estate.Unknown
		}
	}
	return reach
}

// settings records what is wrong or unknown for an account; a nil account
// stands for nobody in particular.
func (e *engine) settings(i int, v *verdict, a *estate.Account) error {
	for n := range v.hits[i] {
		if err := e.enter(&v.hits[i][n], a); err != nil {
			return err
		}
	}
	for _, id := range v.unknown[i] {
		e.unknown(unknownKey{setting: id, source: i}, a)
	}
	return nil
}

// enter adds an account to the finding with the given reason, or to what was
// accepted.
func (e *engine) enter(h *hit, a *estate.Account) error {
	s := &e.sources[h.key.source]
	privileged := 0
	if s.ifPrivileged != s.severity && a != nil && a.Privileged == estate.Yes {
		privileged = 1
	}
	g := h.entered[privileged]
	if g == nil {
		g = e.group(s, h, a, privileged == 1)
		if len(s.exceptions) == 0 {
			h.entered[privileged] = g
		}
	}
	if g.finding.Exception == nil {
		s.broken = true
	}
	if a == nil {
		return nil
	}
	g.reach.add(a, e.options.Examples, func() string { return e.detail(s.shows) })
	if e.options.Each != nil && g.finding.Exception == nil {
		return e.options.Each(&Reached{System: e.system.Name, Fingerprint: g.finding.Fingerprint, Rule: s.rule, Account: a, Dates: &e.about.Dates})
	}
	return nil
}

// group finds or makes the group of a hit on an account.
func (e *engine) group(s *source, h *hit, a *estate.Account, privileged bool) *group {
	key, severity := h.key, s.severity
	if key.privileged = privileged; privileged {
		severity = s.ifPrivileged
	}
	var ended *rules.Exception
	key.exception, ended = e.excepted(s, h, a)
	g, ok := e.groups[key]
	if !ok {
		g = &group{finding: Finding{System: e.system.Name, Rule: s.rule, Severity: severity, Because: s.because, Remedy: s.remedy}}
		e.describe(&g.finding, h, privileged)
		switch {
		case privileged:
			g.finding.Split = "privileged"
		case s.ifPrivileged != s.severity:
			g.finding.Split = "not privileged"
		}
		if key.exception != nil {
			g.finding.Exception = key.exception.exception
		}
		e.groups[key] = g
	}
	if ended != nil {
		g.finding.Ended = ended
	}
	return g
}

func (e *engine) unknown(key unknownKey, a *estate.Account) {
	e.sources[key.source].open = true
	reach := e.unknowns[key]
	if reach == nil {
		reach = &Reach{}
		e.unknowns[key] = reach
	}
	if a != nil {
		reach.add(a, e.options.Examples, noDetail)
	}
}

func noDetail() string { return "" }

// detail is the fact of the account at hand in words.
func (e *engine) detail(f *condition.Fact) string {
	if f == nil {
		return ""
	}
	text, _ := f.Text(&e.about)
	return text
}

func (e *engine) unknownFacts(i int, c *condition.Condition, a *estate.Account) {
	e.missing = c.UnknownFacts(&e.about, e.missing[:0])
	for _, fact := range e.missing {
		e.unknown(unknownKey{setting: -1, fact: fact, source: i}, a)
	}
}

// systemChecks looks at the whole system once its accounts went past.
func (e *engine) systemChecks() error {
	e.tally.Accounts = e.summary.Accounts
	for i := range e.sources {
		s := &e.sources[i]
		if s.system == nil {
			continue
		}
		var failed error
		s.system(&e.tally, func(found Hit) {
			h := hit{key: groupKey{source: i, setting: -1, policy: found.Policy, text: found.Says}}
			h.from = &effective.Candidate{Sourced: estate.Sourced{Origin: found.Origin}, Policy: found.Policy}
			failed = e.enter(&h, nil)
		})
		if failed != nil {
			return failed
		}
	}
	return nil
}

// sameStored finds accounts with the same stored password. The marks of all
// accounts are sorted; only where two are equal are the accounts read again.
func (e *engine) sameStored() error {
	i := slices.IndexFunc(e.sources, func(s source) bool { return s.rule == Prefix+sameStoredID })
	slices.Sort(e.marks)
	twice := map[uint64]bool{}
	for n := 1; n < len(e.marks); n++ {
		if e.marks[n] == e.marks[n-1] {
			twice[e.marks[n]] = true
		}
	}
	e.marks = nil
	if i < 0 || len(twice) == 0 {
		return nil
	}
	same := hit{key: groupKey{source: i, setting: -1, text: systemChecks[0].Title}}
	return e.subject.Export.Accounts(func(a *estate.Account) error {
		if !twice[a.StoredMark] || a.Enabled == estate.No {
			return nil
		}
		e.meet(a)
		return e.enter(&same, a)
	})
}

// report moves what was gathered into the result.
func (e *engine) report(r *Result) {
	s := &e.summary
	s.Name, s.Title, s.AsOf, s.AsOfFrom = e.system.Name, e.system.Title, e.system.AsOf, e.system.AsOfFrom
	s.Policies = len(e.system.Policies)
	notes := e.subject.Export.Notes()
	s.Notes, s.Refused, s.Partial = notes.List(), notes.Refused(), notes.Partial() || notes.Refused() > e.options.Bear
	for i := range e.sources {
		if t := &e.sources[i]; t.reached && !strings.HasPrefix(t.rule, Prefix) {
			s.Clauses++
			if !t.broken && !t.open {
				s.Met++
			}
		}
	}
	for _, g := range e.groups {
		g.finding.Reach = g.reach
		if g.finding.Exception != nil {
			r.Accepted = append(r.Accepted, g.finding)
			s.Accepted++
		} else {
			r.Findings = append(r.Findings, g.finding)
		}
	}
	r.Findings = append(r.Findings, e.unusedExceptions()...)
	r.Systems = append(r.Systems, *s)
	r.Unknowns = append(r.Unknowns, e.gatherUnknowns()...)
}

// gatherUnknowns puts together what several clauses ask.
func (e *engine) gatherUnknowns() []Unknown {
	keys := make([]unknownKey, 0, len(e.unknowns))
	for k := range e.unknowns {
		keys = append(keys, k)
	}
	slices.SortFunc(keys, func(a, b unknownKey) int {
		return cmp.Or(cmp.Compare(a.source, b.source), cmp.Compare(a.setting, b.setting), strings.Compare(a.fact, b.fact))
	})
	var list []Unknown
	for _, k := range keys {
		u := Unknown{System: e.system.Name, Fact: k.fact, Rules: []string{e.sources[k.source].rule}, Reach: *e.unknowns[k]}
		if k.setting >= 0 {
			u.Setting = e.options.Catalogue.At(k.setting).Name
		}
		u.ToKnow = cmp.Or(e.system.ToKnow[u.Name()], e.system.ToKnow[""])
		same := slices.IndexFunc(list, func(o Unknown) bool { return o.Setting == u.Setting && o.Fact == u.Fact })
		if same < 0 {
			list = append(list, u)
			continue
		}
		list[same].Rules = append(list[same].Rules, u.Rules...)
		if u.Reach.Accounts > list[same].Reach.Accounts {
			list[same].Reach = u.Reach
		}
	}
	return list
}

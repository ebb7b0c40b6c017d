package audit

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync/atomic"

	"yewcone/core/check"
	"yewcone/core/condition"
	"yewcone/core/facts"
	"yewcone/core/nearword"
)

// wordsKept bounds how many different words of a fact are kept to find what a
// condition may have meant.
const wordsKept = 5000

// accountsLooked bounds how many accounts are read again for words: advice is
// not worth reading millions.
const accountsLooked = 20000

// unmatched is a condition of the estate's that was so for no account.
type unmatched struct {
	what string // where it stands, in words
	*condition.Condition
	always bool // told even where nothing near it is there
}

// tellUnmatched notes kinds that nobody told, and conditions that are so for no
// account, with what they may have meant: such a condition takes findings away,
// and nothing shows it.
func (e *engine) tellUnmatched() error {
	list := e.unmatchedConditions()
	if len(list) == 0 && e.summary.KindsUnknown == 0 {
		return nil
	}
	words := map[string]bool{}
	prefixes := map[string]int{}
	looked := 0
	look := func(a *facts.Account) error {
		if looked++; looked > accountsLooked {
			return errStopped
		}
		if a.Kind == "" {
			prefixesOf(a.Login, func(prefix string) { prefixes[prefix]++ })
		}
		if len(list) == 0 {
			return nil
		}
		e.resolve(a)
		for _, text := range append(append([]string{a.Unit, a.Kind, a.Policy, e.about.Derived.Policy, a.Login}, a.Groups...), a.Roles...) {
			if text != "" && len(words) < wordsKept && !words[text] {
				words[strings.Clone(text)] = true
			}
		}
		return nil
	}
	switch {
	case len(list) == 0 && len(e.subject.Kinds) > 0: // nothing is proposed
	case len(list) == 0 && e.prefixes != nil:
		prefixes = e.prefixes
	default:
		if err := e.readAgain(look); err != nil && !errors.Is(err, errStopped) {
			return err
		}
	}
	notes := e.subject.Export.Notes()
	if n := e.summary.KindsUnknown; n > 0 {
		notes.Remark(facts.Origin{}, "%s", e.kindsAdvice(prefixes))
	}
	near := slices.Sorted(maps.Keys(words))
	for _, u := range list {
		advice := ""
		for _, literal := range u.Literals() {
			if words[literal] {
				continue
			}
			if i := slices.IndexFunc(near, func(w string) bool { return strings.EqualFold(w, literal) }); i >= 0 {
				advice = fmt.Sprintf("; did you mean %q?", near[i])
			} else {
				advice = cmp.Or(advice, nearword.Advice(literal, near))
			}
		}
		if file, line := u.Place(); u.always || advice != "" {
			notes.Remark(facts.Origin{File: file, Line: line}, "%s is so for no account (%s)%s", u.what, u.Condition, advice)
		}
	}
	return nil
}

// unmatchedConditions lists them, in the order of the files.
func (e *engine) unmatchedConditions() []unmatched {
	var list []unmatched
	for i, k := range e.subject.Kinds {
		if !e.kindMatched[i] {
			list = append(list, unmatched{"the kind " + k.Kind, k.If, true})
		}
	}
	if c := e.subject.Privileged; c != nil && !e.privilegedMatched {
		list = append(list, unmatched{"what makes accounts privileged", c, true})
	}
	for i := range e.rules {
		if r := &e.rules[i]; !r.id.BuiltIn && r.clause.For != nil && !r.matched {
			list = append(list, unmatched{"whom the rule " + r.id.String() + " is for", r.clause.For, false})
		}
	}
	for _, use := range e.exceptions {
		if use.exception.Accounts != nil && !use.used {
			list = append(list, unmatched{"whom the exception to " + use.exception.Rule + " covers", use.exception.Accounts, false})
		}
	}
	return list
}

// programPrefixes are beginnings of names that houses give to accounts of
// programs.
var programPrefixes = []string{"svc-", "svc_", "svc.", "srv-", "srv_", "app-", "app_", "sa-", "sa_", "service-", "service_",
	"bot-", "batch-",
	"robot-", "sys-"}

// prefixesOf hands over those that a name begins with, as it is written.
func prefixesOf(login string, each func(prefix string)) {
	for _, p := range programPrefixes {
		if len(login) >= len(p) && strings.EqualFold(login[:len(p)], p) {
			each(strings.Clone(login[:len(p)]))
		}
	}
}

// beginnings are prefixes of programs that names of accounts of no kind begin with, in one
// part of an export: whoever reads it first notes them, so that it need not be read again.
type beginnings struct {
	first    int64 // the place before that of its first account
	accounts int   // of the part
	list     []beginning
}

type beginning struct {
	at     int // the account that has it, counted from 1 in the part
	prefix string
}

// note notes those of an account of no kind at a place in the order of the export.
func (b *beginnings) note(login string, place int64) {
	prefixesOf(login, func(prefix string) {
		b.list = append(b.list, beginning{int(place - b.first), prefix})
	})
}

// begun are the beginnings of the first accounts of an export.
type begun struct {
	looked   atomic.Int64 // at so many accounts
	missed   bool         // one of their parts was not noted
	prefixes map[string]int
}

// add adds those of the next part; nil where they were not noted.
func (b *begun) add(part *beginnings) {
	looked := int(b.looked.Load())
	if looked >= accountsLooked {
		return
	}
	if part == nil {
		b.missed = true
		return
	}
	for _, one := range part.list {
		if looked+one.at <= accountsLooked {
			b.prefixes[one.prefix]++
		}
	}
	b.looked.Add(int64(part.accounts))
}

// kindsAdvice says what goes unsaid where kinds are not known, and proposes how
// to tell them.
func (e *engine) kindsAdvice(prefixes map[string]int) string {
	asking := 0
	for _, c := range check.All() {
		if strings.Contains(c.Account, "kind ") || c.Person != nil {
			asking++
		}
	}
	if len(e.subject.Kinds) > 0 {
		return fmt.Sprintf("whether accounts are people, programs or shared is not known for %d of %d, since the conditions under "+
			"\"kinds\" ask what the export does not show: %d checks say nothing of these", e.summary.KindsUnknown,
			e.summary.Accounts, asking)
	}
	tell := `service: login startsWith "svc-"`
	if len(prefixes) > 0 {
		var parts []string
		for _, p := range slices.Sorted(maps.Keys(prefixes)) {
			parts = append(parts, fmt.Sprintf("login startsWith %q", p))
		}
		tell = "service: " + strings.Join(parts, " or ")
	}
	return fmt.Sprintf("whether accounts are people, programs or shared is not known for %d of %d: %d checks say nothing of "+
		"these. Tell it "+
		"in estate.yaml, such as: kinds: {%s}; accounts that no kind names are then people", e.summary.KindsUnknown, e.summary.Accounts,
		asking, tell)
}

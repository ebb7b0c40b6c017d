package password

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"yewcone/core/setting"
)

// Settings tell what holds of each setting; unknown where nothing says it.
type Settings func(setting.ID) setting.Value

// A Lookup finds words in a list. Texts are folded as it sees fit.
type Lookup interface {
	Has(text string) (bool, error)
}

// A List is a list to look candidates up in. Whole means that it is the
// system's own list, so that what is not on it is not barred.
type List struct {
	Lookup
	Whole bool
}

// Lists are the lists that stand for those of a system. A list without Lookup
// is not at hand.
type Lists struct {
	Common     List // well-known passwords, folded
	Dictionary List // words, folded
	Breached   List // passwords as they were typed
}

// Against is all that a candidate is held against.
type Against struct {
	Settings Settings
	Person   *Person    // nil: nobody in particular
	Old      *Candidate // the present password; nil where it is not known
	Lists    Lists
}

// A Reason says why a candidate is refused, or what cannot be judged. It never
// quotes the candidate.
type Reason struct {
	Setting setting.ID
	Text    string // for a refusal a sentence; for what is open a half-sentence
}

// A Judgement is what is to be said of one candidate. Without refusals it is
// accepted if nothing is open, and accepted as far as can be told otherwise.
type Judgement struct {
	Refused []Reason
	Open    []Reason
}

// Refuses reports whether one of the reasons comes from a setting.
func (j *Judgement) Refuses(id setting.ID) bool {
	return slices.ContainsFunc(j.Refused, func(r Reason) bool { return r.Setting == id })
}

// outcome of one setting.
type outcome uint8

const (
	passes outcome = iota
	refuses
	open
)

// A Demand is a setting that candidates can be judged by. Its outcome for an
// unknown value is open, unless no value of the setting would refuse.
type Demand struct {
	Setting setting.ID
	Doc     string // what exactly is refused, a full sentence
	judge   func(c *Candidate, v setting.Value, a *Against) (outcome, string, error)
}

// notSaid is what is open where the export does not show a setting.
const notSaid = "not in the export"

// atLeast makes a demand of a setting that counts upwards.
func atLeast(id setting.ID, one, what string, of func(*Candidate) int) Demand {
	return Demand{
		Setting: id,
		Doc:     "Refused with fewer " + what + " than the setting asks for.",
		judge: func(c *Candidate, v setting.Value, _ *Against) (outcome, string, error) {
			least, has := v.Count()
			switch {
			case !v.Known():
				return open, notSaid, nil
			case !has || int64(of(c)) >= least:
				return passes, "", nil
			}
			return refuses, needs(least, one, what, of(c)), nil
		},
	}
}

// needs words what is lacking.
func needs(least int64, one, many string, has int) string {
	what, found := many, strconv.Itoa(has)
	if least == 1 {
		what = one
	}
	if has == 0 {
		found = "none"
	}
	return fmt.Sprintf("it needs at least %d %s and has %s", least, what, found)
}

// atMost makes a demand of a setting that bounds from above. What no value
// refuses passes.
func atMost(id setting.ID, doc, says string, harmless int, of func(*Candidate) int) Demand {
	return Demand{
		Setting: id,
		Doc:     doc,
		judge: func(c *Candidate, v setting.Value, _ *Against) (outcome, string, error) {
			most, has := v.Count()
			switch {
			case of(c) <= harmless:
				return passes, "", nil
			case !v.Known():
				return open, notSaid, nil
			case !has || int64(of(c)) <= most:
				return passes, "", nil
			}
			return refuses, fmt.Sprintf(says, of(c), most), nil
		},
	}
}

// searched makes a demand of a yes-or-no setting that bars what a search
// finds. The search tells why it cannot be made.
func searched(id setting.ID, doc, says string, search func(c *Candidate, a *Against) (found match, cannot string, err error)) Demand {
	return Demand{
		Setting: id,
		Doc:     doc,
		judge: func(c *Candidate, v setting.Value, a *Against) (outcome, string, error) {
			if yes, known := v.Flag(); known && !yes {
				return passes, "", nil
			}
			found, cannot, err := search(c, a)
			switch {
			case err != nil || cannot != "" && v.Known():
				return open, cannot, err
			case cannot != "":
				return open, notSaid, nil
			}
			o, text := weigh(found, v.Known(), says, a)
			return o, text, nil
		},
	}
}

// weigh decides what a match means. One that needs substitutions undone counts
// only where the system sees through them.
func weigh(found match, known bool, says string, a *Against) (outcome, string) {
	if found == seenMatch {
		switch sees, said := a.Settings(setting.SubstitutionsSeen).Flag(); {
		case said && !sees:
			return passes, ""
		case !said:
			return open, "whether the system sees through substitutions is " + notSaid
		}
	}
	switch {
	case found == noMatch:
		return passes, ""
	case !known:
		return open, notSaid
	}
	return refuses, says
}

const nobody = "no account is named to compare with (--as)"

// inside makes a demand that a class stands elsewhere than at the end.
func inside(id setting.ID, what string, is func(*Candidate) bool) Demand {
	return Demand{
		Setting: id,
		Doc:     "Refused without a " + what + " that is not the last character.",
		judge: func(c *Candidate, v setting.Value, _ *Against) (outcome, string, error) {
			yes, known := v.Flag()
			switch {
			case is(c) || known && !yes:
				return passes, "", nil
			case !known:
				return open, notSaid, nil
			}
			return refuses, "it needs a " + what + " that is not the last character", nil
		},
	}
}

// looked makes a demand of a setting that bars what is on a list.
func looked(id setting.ID, doc, says string, list func(*Lists) List, find func(*Candidate, Lookup) (match, error)) Demand {
	return Demand{
		Setting: id,
		Doc:     doc,
		judge: func(c *Candidate, v setting.Value, a *Against) (outcome, string, error) {
			yes, known := v.Flag()
			if known && !yes {
				return passes, "", nil
			}
			l := list(&a.Lists)
			switch {
			case l.Lookup == nil && known:
				return open, "the system's own list is not at hand", nil
			case l.Lookup == nil:
				return open, notSaid, nil
			}
			found, err := find(c, l)
			if err != nil {
				return open, "", err
			}
			o, text := weigh(found, known, says, a)
			switch {
			case o == passes && !l.Whole && known:
				return open, "the system's own list may hold more than the one at hand", nil
			case o == passes && !l.Whole:
				return open, notSaid, nil
			}
			return o, text, nil
		},
	}
}

// find looks for a folded text, and for what it may stand for.
func find(folded string, l Lookup) (match, error) {
	var failed error
	has := func(text string) bool {
		found, err := l.Has(text)
		failed = cmp.Or(failed, err)
		return found
	}
	switch {
	case has(folded):
		return fullMatch, failed
	case undone(folded, has):
		return seenMatch, failed
	}
	return noMatch, failed
}

// find looks for a candidate as it was typed, and folded.
func (c *Candidate) find(l Lookup) (match, error) {
	if found, err := l.Has(c.text); found || err != nil {
		return fullMatch, err
	}
	return find(c.folded, l)
}

// core is what is left of a candidate without what is no letter at its ends.
func (c *Candidate) core() string {
	return strings.TrimFunc(c.folded, func(r rune) bool { return !unicode.IsLetter(r) })
}

// An Asker is a Lookup that would rather be asked for many words at once than
// for one after the other.
type Asker interface {
	Lookup
	Ask(words []string) error
}

// Prepare asks a list for all that candidates may be looked up as.
func Prepare(candidates []*Candidate, list Asker) error {
	var words []string
	add := func(word string) bool {
		words = append(words, word)
		return false
	}
	for _, c := range candidates {
		add(c.text)
		undone(c.folded, add)
		undone(c.core(), add)
	}
	return list.Ask(words)
}

// Demands are the settings that candidates are judged by, in the order of the
// catalogue.
func Demands() []Demand { return demands }

// Definition says what candidates a setting refuses; "" for a setting that
// judges none.
func Definition(id setting.ID) string {
	switch id {
	case setting.BlankAllowed:
		return "The empty candidate is refused where this is no; no other setting judges it."
	case setting.SubstitutionsSeen:
		return "Decides whether a candidate is also compared with names and lists after 0 is read as o, 1 and ! as i or l, " +
			"and so on: " + strings.Join(substitutes, " ") + "."
	}
	for i := range demands {
		if demands[i].Setting == id {
			return demands[i].Doc
		}
	}
	return ""
}

var demands = []Demand{
	atLeast(setting.MinLength, "character", "characters", (*Candidate).Length),
	atMost(setting.MaxLength, "Refused with more characters than the setting allows.", "it has %d characters; the most is %d", 1,
		(*Candidate).Length),
	atLeast(setting.MinClasses, "kind of characters", "kinds of characters (small letters, capitals, digits, symbols, other "+
		"letters)", (*Candidate).mixed),
	atLeast(setting.MinLetters, "letter", "letters", (*Candidate).letters),
	atLeast(setting.MinLower, "small letter", "small letters", func(c *Candidate) int { return c.counts[Lower] }),
	atLeast(setting.MinUpper, "capital", "capitals", func(c *Candidate) int { return c.counts[Upper] }),
	atLeast(setting.MinDigits, "digit", "digits", func(c *Candidate) int { return c.counts[Digit] }),
	atLeast(setting.MinSymbols, "symbol", "symbols", func(c *Candidate) int { return c.counts[Symbol] }),
	inside(setting.DigitInside, "digit", func(c *Candidate) bool { return c.digitInside }),
	inside(setting.SymbolInside, "symbol", func(c *Candidate) bool { return c.symbolInside }),
	atMost(setting.MaxRepeat, "Refused with more equal characters in a row than the setting allows; capitals and small letters "+
		"differ.", "it has %d equal characters in a row; the most is %d", 1, func(c *Candidate) int { return c.repeat }),
	{
		Setting: setting.MaxRun,
		Doc: "Accepted where no run is longer than the setting allows: neighbours, up or down, among the digits 0 to 9, the letters a to z, " +
			"small or capital, the rows 1234567890, qwertyuiop, asdfghjkl and zxcvbnm of a keyboard, or characters that stand beside one " +
			"another in ASCII. Refused where neighbours among digits, small letters or capitals alone make a longer one; not judged " +
			"between the two, where systems differ.",
		judge: func(c *Candidate, v setting.Value, _ *Against) (outcome, string, error) {
			most, has := v.Count()
			switch {
			case c.run <= 1:
				return passes, "", nil
			case !v.Known():
				return open, notSaid, nil
			case !has || int64(c.run) <= most:
				return passes, "", nil
			case int64(c.surely) <= most:
				return open, fmt.Sprintf("it has a run of %d characters such as qwer, xYz or 89:; that only some systems take for one", c.run), nil
			}
			return refuses, fmt.Sprintf("it has a run of %d characters such as 1234 or dcba; the most is %d", c.surely, most), nil
		},
	},
	atLeast(setting.MinDistinct, "character", "different characters", func(c *Candidate) int { return c.distinct }),
	{
		Setting: setting.MinChanged,
		Doc: "Judged only where the present password is typed too. Accepted with as many characters as the setting asks for that " +
			"the present password has nowhere, capitals or small; refused where fewer characters than that must be put in, taken out " +
			"or replaced to come from one to the other; not judged between the two, where systems differ.",
		judge: func(c *Candidate, v setting.Value, a *Against) (outcome, string, error) {
			least, has := v.Count()
			switch {
			case a.Old == nil || v.Known() && !has:
				return passes, "", nil
			case !v.Known():
				return open, notSaid, nil
			case int64(c.newAgainst(a.Old)) >= least:
				return passes, "", nil
			case int64(c.editsFrom(a.Old)) >= least:
				return open, fmt.Sprintf("it has %d characters that the present password has not; systems count changed "+
					"characters differently",
					c.newAgainst(a.Old)), nil
			}
			return refuses, needs(least, "character to differ from the present password", "characters to differ from the present password",
				c.editsFrom(a.Old)), nil
		},
	},
	{
		Setting: setting.Alphabet,
		Doc:     "Refused with a character that is no digit, or neither letter nor digit, as the setting says.",
		judge: func(c *Candidate, v setting.Value, _ *Against) (outcome, string, error) {
			switch {
			case c.counts[Digit] == c.Length():
				return passes, "", nil
			case !v.Known():
				return open, notSaid, nil
			case v == setting.AlphabetDigits:
				return refuses, "it may have digits only", nil
			case v == setting.AlphabetLettersAndDigits && c.counts[Symbol] > 0:
				return refuses, "it may have letters and digits only", nil
			}
			return passes, "", nil
		},
	},
	{
		Setting: setting.LoginBarred,
		Doc: "equal: refused when it is the sign-in name. contained: also when the sign-in name, of at least 3 " +
			"characters, stands anywhere in it.",
		judge: func(c *Candidate, v setting.Value, a *Against) (outcome, string, error) {
			how, known := v.Index()
			switch {
			case known && how == 0:
				return passes, "", nil
			case a.Person == nil && known:
				return open, nobody, nil
			case a.Person == nil:
				return open, notSaid, nil
			}
			if equal := c.equals(a.Person.login); equal != noMatch {
				o, text := weigh(equal, known, "it is the sign-in name", a)
				if o != passes {
					return o, text, nil
				}
			}
			if known && how == 1 {
				return passes, "", nil
			}
			o, text := weigh(c.contains(long(a.Person.login)), known, "it contains the sign-in name", a)
			return o, text, nil
		},
	},
	searched(setting.LoginReversedBarred, "Refused when the sign-in name backwards, of at least 3 characters, stands anywhere "+
		"in it.", "it contains the sign-in name backwards", func(c *Candidate, a *Against) (match, string, error) {
		if a.Person == nil {
			return noMatch, nobody, nil
		}
		return c.contains(long(reversed(a.Person.login))), "", nil
	}),
	searched(setting.NamesBarred, "Refused when a part of the first, last or display name, of at least 3 characters, stands "+
		"anywhere in it; names are split at everything but letters and digits.", "it contains a part of the user's name",
		func(c *Candidate, a *Against) (match, string, error) {
			if a.Person == nil {
				return noMatch, nobody, nil
			}
			return c.contains(a.Person.names...), "", nil
		}),
	searched(setting.DescriptionBarred, "Refused when a word of the account's description, of at least 4 characters, stands "+
		"anywhere in it.", "it contains a word of the account's description", func(c *Candidate, a *Against) (match, string,
		error) {
		if a.Person == nil {
			return noMatch, nobody, nil
		}
		return c.contains(a.Person.description...), "", nil
	}),
	looked(setting.CommonBarred, "Refused when it is on the list of well-known passwords, whatever its case.",
		"it is a well-known password",
		func(l *Lists) List { return l.Common }, (*Candidate).find),
	looked(setting.DictionaryBarred, "Refused when it is a word of the dictionary, whatever its case, also with digits and "+
		"symbols before or after it.", "it is a word of a dictionary",
		func(l *Lists) List { return l.Dictionary }, (*Candidate).inDictionary),
	looked(setting.BreachedBarred, "Refused when it is, exactly as it was typed, on the list of passwords known from breaches.",
		"it is known from a breach",
		func(l *Lists) List { return l.Breached }, func(c *Candidate, l Lookup) (match, error) {
			found, err := l.Has(c.text)
			if found {
				return fullMatch, err
			}
			return noMatch, err
		}),
	{
		Setting: setting.StrengthFloor,
		Doc:     "Cannot be judged: the meter is the system's own.",
		judge: func(_ *Candidate, v setting.Value, _ *Against) (outcome, string, error) {
			switch {
			case !v.Known():
				return open, notSaid, nil
			case v == setting.NoStrengthFloor:
				return passes, "", nil
			}
			return open, "the meter is the system's own", nil
		},
	},
	{
		Setting: setting.History,
		Doc: "Judged only where the present password is typed too. Refused when it is the present password and any are " +
			"barred from reuse; earlier passwords are not at hand.",
		judge: func(c *Candidate, v setting.Value, a *Against) (outcome, string, error) {
			barred, has := v.Count()
			switch {
			case a.Old == nil || a.Old.text != c.text, v.Known() && (!has || barred == 0):
				return passes, "", nil
			case !v.Known():
				return open, notSaid, nil
			}
			return refuses, "it is the present password", nil
		},
	},
}

// newAgainst counts the characters that another password has nowhere.
func (c *Candidate) newAgainst(old *Candidate) int {
	n := 0
	for _, r := range c.runes {
		if !slices.ContainsFunc(old.runes, func(o rune) bool { return unicode.ToLower(o) == unicode.ToLower(r) }) {
			n++
		}
	}
	return n
}

// editsFrom is the fewest characters that must be put in, taken out or replaced
// to make the candidate of the present password.
func (c *Candidate) editsFrom(old *Candidate) int {
	row := make([]int, len(c.runes)+1)
	for j := range row {
		row[j] = j
	}
	for i, o := range old.runes {
		corner := row[0]
		row[0] = i + 1
		for j, r := range c.runes {
			change := corner
			if o != r {
				change++
			}
			corner = row[j+1]
			row[j+1] = min(change, row[j]+1, row[j+1]+1)
		}
	}
	return row[len(c.runes)]
}

// inDictionary looks for the candidate itself, and for what is left of it
// without what is no letter at its ends.
func (c *Candidate) inDictionary(l Lookup) (match, error) {
	best, err := c.find(l)
	if best == fullMatch || err != nil {
		return best, err
	}
	core := c.core()
	if core == "" || core == c.folded {
		return best, nil
	}
	inner, err := find(core, l)
	return max(best, inner), err
}

// Judge holds a candidate against all demands. The error is one of a list
// that could not be read.
func Judge(c *Candidate, a *Against) (*Judgement, error) {
	j := &Judgement{}
	if c.Length() == 0 {
		j.blank(a)
		return j, nil
	}
	for i := range demands {
		d := &demands[i]
		o, text, err := d.judge(c, a.Settings(d.Setting), a)
		if err != nil {
			return nil, err
		}
		switch o {
		case refuses:
			j.Refused = append(j.Refused, Reason{d.Setting, text})
		case open:
			j.Open = append(j.Open, Reason{d.Setting, text})
		}
	}
	return j, nil
}

// blank judges the empty password, which nothing but one setting decides on.
func (j *Judgement) blank(a *Against) {
	yes, known := a.Settings(setting.BlankAllowed).Flag()
	switch {
	case !known:
		j.Open = append(j.Open, Reason{setting.BlankAllowed, notSaid})
	case !yes:
		j.Refused = append(j.Refused, Reason{setting.BlankAllowed, "it is empty"})
	}
}

// OnList reports whether a candidate, or what it may stand for, is on a list
// of folded texts.
func OnList(c *Candidate, l Lookup) (bool, error) {
	found, err := c.find(l)
	return found != noMatch, err
}

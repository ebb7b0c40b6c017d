// Package remedy says a change in a system's own words: what to type where.
// Nothing is ever run.
package remedy

import (
	"strings"

	"yewcone/core/check"
	"yewcone/core/facts"
	"yewcone/core/setting"
)

// A Step is one value to set in a policy.
type Step struct {
	Policy   string
	Setting  setting.ID
	From, To setting.Value
	// Enough tells whether another value would do as well, for systems that
	// cannot say To itself; nil for no other.
	Enough func(setting.Value) bool
}

// Does reports whether a value would do.
func (s *Step) Does(v setting.Value) bool {
	return v.Known() && setting.At(s.Setting).CompareAmounts(v, s.To) == 0 || s.Enough != nil && s.Enough(v)
}

// The languages of blocks.
const (
	LDIF   = "ldif"   // for ldapmodify, or ldbmodify where the block says so
	SQL    = "sql"    // statements for the server's administrator
	Kadmin = "kadmin" // lines for kadmin.local
	Files  = "files"  // lines of files
	Shell  = "shell"  // lines for a shell
	Words  = "words"  // what to write on the application's own pages
)

// A Block is what to do in one place.
type Block struct {
	Where    string // the program or place, for people
	Language string
	Lines    []string // of LDIF, SQL and Kadmin
	Edits    []Edit   // of Files and Words
	Notes    []string // what else to know
}

// An Edit replaces a line of a file, or a word of an application.
type Edit struct {
	File   string
	Line   int    // 0 where the line is not there yet
	Place  string // the label of a word; "" for lines of files
	Before string // "" for what is not there yet
	After  string // "" for what is to go
}

// Undone is the way back of an edit.
func (e Edit) Undone() Edit {
	e.Before, e.After = e.After, e.Before
	return e
}

// A Cannot is a step that the system has no words for.
type Cannot struct {
	Step
	Why string
}

// A Teller is an Export that knows how values are set on its system.
type Teller interface {
	// Remedy says the steps in the order in which they are given; with undo, the
	// way back to what the export says.
	Remedy(steps []Step, undo bool) ([]Block, []Cannot)
}

// An Act is something to do to one account.
type Act struct {
	check.Act
	Mark    string        // of Unmark
	Setting setting.ID    // of SetOwn
	To      setting.Value // of SetOwn
}

// Who is an account, by the names that its system's own tools take.
type Who struct{ Login, DN, Policy string }

// An AccountTeller is an Export that knows what is typed to do something to one
// account.
type AccountTeller interface {
	// Account says where, in what language, and what; with undo, the way back. No
	// lines where the system has no words for it.
	Account(act Act, who Who, undo bool) (where, language string, lines []string)
}

// Ways are what a system's own tools take for each act, before or around the
// account's name: to do it, and to take it back; "" where there are no words.
type Ways map[check.Act][2]string

// Words are those of an act; "" where there are none.
func (w Ways) Words(act Act, undo bool) string {
	if undo {
		return w[act.Act][1]
	}
	return w[act.Act][0]
}

// ShellWord writes a text so that a shell takes it as one word.
func ShellWord(text string) string {
	if text != "" && !strings.HasPrefix(text, "-") && !strings.ContainsFunc(text, func(r rune) bool {
		return (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') && (r < '0' || r > '9') && !strings.ContainsRune("@%+=:,./_-", r)
	}) {
		return text
	}
	return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'"
}

// Of asks an export; every step is one that cannot be said where it is no
// Teller.
func Of(export facts.Export, steps []Step, undo bool) ([]Block, []Cannot) {
	if t, ok := export.(Teller); ok {
		return t.Remedy(steps, undo)
	}
	var cannot []Cannot
	for _, s := range steps {
		cannot = append(cannot, Cannot{s, "this kind of export does not tell how it is set"})
	}
	return nil, cannot
}

// Days is a length of time in days, of which the last may be begun only.
func Days(v setting.Value) int64 { return (Seconds(v) + 86399) / 86400 }

// Seconds is a length of time in seconds; 0 for none, and for what is no length.
func Seconds(v setting.Value) int64 {
	span, _ := v.Span()
	return span.Length()
}

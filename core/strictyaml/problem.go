package strictyaml

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

// A Problem is something wrong in a file that a person wrote. Its text names
// the place, shows the line and points at the character.
type Problem struct {
	File    string
	Line    int    // counted from 1; 0 when the whole file is meant
	Column  int    // in characters, counted from 1
	Message string // what was found, what was expected, what to do
	Source  string // the line as it stands in the file
}

func (p *Problem) Error() string {
	if p.File == "" {
		return p.Message
	}
	if p.Line == 0 {
		return p.File + ": " + p.Message
	}
	text := fmt.Sprintf("%s:%d:%d: %s", p.File, p.Line, p.Column, p.Message)
	if p.Source == "" {
		return text
	}
	column := min(p.Column, utf8.RuneCountInString(p.Source)+1)
	var pad strings.Builder
	for i, r := range []rune(p.Source) {
		if i >= column-1 {
			break
		}
		if r != '\t' {
			r = ' '
		}
		pad.WriteRune(r)
	}
	return fmt.Sprintf("%s\n%6d | %s\n       | %s^", text, p.Line, p.Source, pad.String())
}

// Problems are several, in the order of the file.
type Problems []*Problem

func (ps Problems) Error() string {
	texts := make([]string, len(ps))
	for i, p := range ps {
		texts[i] = p.Error()
	}
	return strings.Join(texts, "\n")
}

// Err returns the problems as an error, or nil when there are none. Those of
// one file are put in the order of its lines; what is told twice is told once.
func (ps Problems) Err() error {
	if len(ps) == 0 {
		return nil
	}
	first := map[string]int{}
	for i, p := range ps {
		if _, seen := first[p.File]; !seen {
			first[p.File] = i
		}
	}
	slices.SortStableFunc(ps, func(a, b *Problem) int {
		return cmp.Or(cmp.Compare(first[a.File], first[b.File]), cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column))
	})
	told := map[string]bool{} // several systems may be read by one file
	return slices.DeleteFunc(ps, func(p *Problem) bool {
		text := p.Error()
		again := told[text]
		told[text] = true
		return again
	})
}

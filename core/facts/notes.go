package facts

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
)

// Shown of each sort of note are the first few; the others are counted.
const notesShown = 10

// NotesShown is how many notes of refused rows are listed one by one.
const NotesShown = refusedShown

// refusedShown is how many refused rows are listed one by one, whatever is
// wrong with them.
const refusedShown = 10

// Notes gathers what a reader has to say. Of each sort the first few notes are
// kept and the rest is counted, so that time and memory do not grow with how
// often a thing is so.
type Notes struct {
	list    []Note
	sorts   []sortOfNote
	refused int
}

// A sortOfNote is all notes of a kind that are made of the same words.
type sortOfNote struct {
	Kind  NoteKind
	Words string // the format that they are made of
	Last  int    // the place of the last one that is kept
	Kept  int
	More  int             // that are not kept
	Once  map[string]bool // what each note is of, where there is one of each at most; nil where there may be more
}

// Refuse notes a row or value that was left out.
func (n *Notes) Refuse(o Origin, format string, args ...any) {
	if n.refused++; n.refused <= refusedShown {
		n.list = append(n.list, Note{Kind: NoteRefused, Origin: o.kept(), Message: fmt.Sprintf(format, args...)})
	}
}

// RefuseMore counts rows or values that were left out and are not listed.
func (n *Notes) RefuseMore(more int) { n.refused += more }

// Remark notes something worth knowing. Remarks of the same format are of one
// sort.
func (n *Notes) Remark(o Origin, format string, args ...any) {
	n.add(NoteRemark, format, "", o, format, args...)
}

// RemarkOnce is Remark for what is noted once of a thing, wherever it is met first.
func (n *Notes) RemarkOnce(thing string, o Origin, format string, args ...any) {
	n.add(NoteRemark, format, thing, o, format, args...)
}

func (n *Notes) empty() bool { return len(n.list) == 0 && n.refused == 0 }

// Incomplete notes that a file is missing or ends too early.
func (n *Notes) Incomplete(o Origin, format string, args ...any) {
	n.add(NoteIncomplete, format, "", o, format, args...)
}

// Odd notes where a file has its first control character, counted from 1; 0 for
// none. Names may have one; what a line lost on its way may too.
func (n *Notes) Odd(o Origin, at int64) {
	if at > 0 {
		n.Remark(o, "the file has control characters, the first as its byte %d: where they belong to no name, it is damaged; take the export again", at)
	}
}

// Join adds what another has noted after this.
func (n *Notes) Join(other *Notes) {
	counted := 0
	for i := range other.list {
		note := &other.list[i]
		if note.Kind != NoteRefused {
			n.add(note.Kind, note.sort, note.once, note.Origin, "%s", note.Message)
		} else if n.refused < refusedShown {
			n.list = append(n.list, *note)
			n.refused++
			counted++
		}
	}
	n.refused += other.refused - counted
	for _, s := range other.sorts {
		if s.More == 0 {
			continue
		}
		mine := n.sort(s.Kind, s.Words)
		if s.Once == nil {
			mine.More += s.More
		}
		for thing := range s.Once {
			if mine.first(thing) {
				mine.More++
			}
		}
	}
}

// packedNotes is how notes are written for another process.
type packedNotes struct {
	List    []packedNote
	Sorts   []sortOfNote
	Refused int
}

type packedNote struct {
	Note
	Sort string
	Once string `json:",omitempty"`
}

// MarshalJSON writes the notes for another process.
func (n *Notes) MarshalJSON() ([]byte, error) {
	p := packedNotes{Sorts: n.sorts, Refused: n.refused}
	for _, note := range n.list {
		p.List = append(p.List, packedNote{note, note.sort, note.once})
	}
	return json.Marshal(p)
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (n *Notes) UnmarshalJSON(data []byte) error {
	var p packedNotes
	if err := json.Unmarshal(data, &p); err != nil {
		return err
	}
	*n = Notes{sorts: p.Sorts, refused: p.Refused}
	for _, note := range p.List {
		note.Note.sort, note.Note.once = note.Sort, note.Once
		n.list = append(n.list, note.Note)
	}
	return nil
}

// Clone returns a copy that further notes leave as it is.
func (n *Notes) Clone() Notes {
	c := Notes{list: slices.Clone(n.list), sorts: slices.Clone(n.sorts), refused: n.refused}
	for i := range c.sorts {
		c.sorts[i].Once = maps.Clone(c.sorts[i].Once)
	}
	return c
}

// first reports whether nothing was noted yet of a thing, and notes that now it was.
func (s *sortOfNote) first(thing string) bool {
	if s.Once == nil {
		s.Once = map[string]bool{}
	}
	met := s.Once[thing]
	if !met {
		s.Once[strings.Clone(thing)] = true
	}
	return !met
}

func (n *Notes) add(kind NoteKind, words, once string, o Origin, format string, args ...any) {
	s := n.sort(kind, words)
	if once != "" && !s.first(once) {
		return
	}
	if s.Kept == notesShown {
		s.More++
		return
	}
	note := Note{Kind: kind, Origin: o.kept(), Message: fmt.Sprintf(format, args...), sort: words, once: once}
	if slices.Contains(n.list, note) {
		return
	}
	n.list = append(n.list, note)
	s.Kept, s.Last = s.Kept+1, len(n.list)-1
}

func (n *Notes) sort(kind NoteKind, words string) *sortOfNote {
	for i := range n.sorts {
		if s := &n.sorts[i]; s.Kind == kind && s.Words == words {
			return s
		}
	}
	n.sorts = append(n.sorts, sortOfNote{Kind: kind, Words: words})
	return &n.sorts[len(n.sorts)-1]
}

// List returns the notes, each sort with a last one that tells how many more
// there are.
func (n *Notes) List() []Note {
	var list []Note
	for i, note := range n.list {
		list = append(list, note)
		for _, s := range n.sorts {
			if s.More > 0 && s.Last == i && s.Kept > 0 {
				list = append(list, Note{Kind: s.Kind, Origin: Origin{File: note.Origin.File},
					Message: fmt.Sprintf("the same again, %d times more", s.More)})
			}
		}
	}
	return list
}

// Refused returns how many rows or values were left out.
func (n *Notes) Refused() int { return n.refused }

// Partial reports whether a file was missing or ended too early.
func (n *Notes) Partial() bool {
	for i := range n.list {
		if n.list[i].Kind == NoteIncomplete {
			return true
		}
	}
	return false
}

// NoteKind says how much a note matters.
type NoteKind string

// The kinds of notes.
const (
	NoteView       NoteKind = "view"    // what the export was able to show
	NoteRemark     NoteKind = "remark"  // worth knowing; all was read
	NoteRefused    NoteKind = "refused" // one row or value was left out
	NoteIncomplete NoteKind = "cut"     // a file is missing, or ends too early: the reading is partial
)

// A Note is what a reader has to say about an export.
type Note struct {
	Kind    NoteKind
	Origin  Origin
	Message string
	sort    string // the words that it is made of
	once    string // what it is of, where only the first is noted
}

package facts

import "fmt"

// refusedShown is how many refused rows are listed one by one.
const refusedShown = 10

// Notes gathers what a reader has to say. Of refused rows the first few are
// kept and all are counted.
type Notes struct {
	list    []Note
	refused int
}

// Refuse notes a row or value that was left out.
func (n *Notes) Refuse(o Origin, format string, args ...any) {
	n.refused++
	if n.refused > refusedShown {
		return
	}
	n.add(NoteRefused, o, fmt.Sprintf(format, args...))
}

// Remark notes something worth knowing.
func (n *Notes) Remark(o Origin, format string, args ...any) {
	n.add(NoteRemark, o, fmt.Sprintf(format, args...))
}

// Incomplete notes that a file is missing or ends too early.
func (n *Notes) Incomplete(o Origin, format string, args ...any) {
	n.add(NoteIncomplete, o, fmt.Sprintf(format, args...))
}

// Join adds what another has noted after this.
func (n *Notes) Join(other *Notes) {
	room := refusedShown - n.refused
	for _, note := range other.list {
		if note.Kind == NoteRefused {
			if room--; room < 0 {
				continue
			}
		}
		n.add(note.Kind, note.Origin, note.Message)
	}
	n.refused += other.refused
}

func (n *Notes) add(kind NoteKind, o Origin, message string) {
	for _, old := range n.list {
		if old.Kind == kind && old.Message == message && old.Origin == o {
			return
		}
	}
	n.list = append(n.list, Note{Kind: kind, Origin: o, Message: message})
}

// List returns the notes.
func (n *Notes) List() []Note { return n.list }

// Refused returns how many rows or values were left out.
func (n *Notes) Refused() int { return n.refused }

// Partial reports whether a file was missing or ended too early.
func (n *Notes) Partial() bool {
	for _, note := range n.list {
		if note.Kind == NoteIncomplete {
			return true
		}
	}
	return false
}

// NoteKind says how much a note matters.
type NoteKind string

// The kinds of notes.
const (
	NoteRemark     NoteKind = "remark"  // worth knowing; all was read
	NoteRefused    NoteKind = "refused" // one row or value was left out
	NoteIncomplete NoteKind = "cut"     // a file is missing, or ends too early: the reading is partial
)

// A Note is what a reader has to say about an export.
type Note struct {
	Kind    NoteKind
	Origin  Origin
	Message string
}

package facts

// Sketches are what rows of an export say, one behind the other, as far as it tells
// accounts apart from others: which columns hold the same as elsewhere, the sign-in
// name, and dates. Most accounts come out as one that was met before, and need not be
// filled in.
type Sketches struct {
	Count  int
	Whole  []bool // false where the account must be filled in
	Logins []string
	DNs    []string // distinguished names; nil where accounts have none
	// Classes are of all other columns, four to a number; those of two rows are the
	// same where nothing that is asked tells their texts apart. Each row has Words.
	Classes     []uint64
	Words       int
	DateOf      []func(*Account) *Moment // the fields of the columns with dates
	DateNames   []string                 // the facts of a mapping that these are
	Dates       []Moment                 // each row has as many as DateOf, where Dated
	Dated       []bool                   // whether a column has a date there; its class tells what it has otherwise
	Texts       []string                 // each row has as many as Sketching.Texts, as they stand; "" where there is none
	StoredMarks []uint64                 // see Account; nil where no column has them
	// Fill makes the account of a row, good until the next; nil where the row
	// names nobody. Rows are filled in in their order.
	Fill func(row int) *Account
}

// ClassesOf are those of a row.
func (s *Sketches) ClassesOf(row int) []uint64 { return s.Classes[row*s.Words : (row+1)*s.Words] }

// A Sketcher is a Part whose rows can be told apart before they are filled in.
type Sketcher interface {
	Part
	// Sketch hands over sketches of its rows, as Accounts does accounts, many at a
	// time; false where its rows cannot be told apart so.
	Sketch(s *Sketching, yield func(*Sketches) error) (bool, error)
}

// A Sketching is what one goroutine keeps while it reads sketches of one system.
type Sketching struct {
	// Asks returns the questions that are asked of a text or list, by the fact
	// of a mapping that fills it; whole where the text itself matters.
	Asks func(fact string) (questions []func(*Account) Tri, whole bool)
	// Questions are these in words; false where they cannot be put so.
	Questions func(fact string) ([]Question, bool)
	Texts     []string // facts of which the text is wanted itself, and not only what is asked of it
	Of        any      // whose columns they are: sketches of the same are alike where their classes are
	kept      map[any]any
}

// Keep returns what is kept under a key, made by the first who asks.
func (s *Sketching) Keep(key any, make func() any) any {
	if s.kept == nil {
		s.kept = map[any]any{}
	}
	kept, ok := s.kept[key]
	if !ok {
		kept = make()
		s.kept[key] = kept
	}
	return kept
}

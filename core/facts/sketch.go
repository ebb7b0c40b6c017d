package facts

// A Sketch is what a row of an export says, as far as it tells the account apart
// from others: which columns hold the same as elsewhere, the sign-in name, and
// dates. Most accounts come out as one that was met before, and need not be
// filled in.
type Sketch struct {
	Whole      bool // false where the account must be filled in
	Login      string
	Classes    []uint64                 // of all other columns, four to a number; the same where nothing that is asked tells the texts apart
	Dates      []Moment                 // of the columns with dates, where Dated
	Dated      []bool                   // whether the column has a date here; its class tells what it has otherwise
	DateOf     []func(*Account) *Moment // the fields of those columns
	Texts      []string                 // of the facts that Sketching.Texts names, as they stand; "" where there is none
	StoredMark uint64                   // see Account
	// Fill makes the account, good until the next row; nil where the row names
	// nobody.
	Fill func() *Account
}

// A Sketcher is a Part whose rows can be told apart before they are filled in.
type Sketcher interface {
	Part
	// Sketch hands over a sketch of each row, as Accounts does accounts; false
	// where its rows cannot be told apart so.
	Sketch(s *Sketching, yield func(*Sketch) error) (bool, error)
}

// A Sketching is what one goroutine keeps while it reads sketches of one system.
type Sketching struct {
	// Asks returns the questions that are asked of a text or list, by the fact
	// of a mapping that fills it; whole where the text itself matters.
	Asks  func(fact string) (questions []func(*Account) Tri, whole bool)
	Texts []string // facts of which the text is wanted itself, and not only what is asked of it
	Of    any      // whose columns they are: sketches of the same are alike where their classes are
	kept  map[any]any
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

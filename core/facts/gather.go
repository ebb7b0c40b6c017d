package facts

import "yewcone/core/setting"

// A Question is what conditions ask of one text or list of an account, in words that
// an engine that holds accounts can be asked too.
type Question struct {
	Fact  string // as a mapping fills it
	Op    QuestionOp
	Texts []string // of which any will do
}

// A QuestionOp is how a text is asked about. A question may tell more texts apart
// than the condition does, and never fewer.
type QuestionOp uint8

// The ways to ask. Texts are compared byte by byte.
const (
	Equals   QuestionOp = iota
	Begins              // with the text
	Ends                // with it
	Holds               // it anywhere
	HasItem             // a list has it among its items
	NameOnly            // the part before the first at sign equals it
)

// Joint are two dates, by the facts of a mapping, that some question compares with
// each other.
type Joint struct {
	A, B string
	Aged bool // B with the largest age of the password added
}

// A Gatherer is a Part whose accounts lie in an engine that can itself count those
// that come out alike.
type Gatherer interface {
	Part
	// Gather hands over one account for all that come out alike; false where it
	// cannot, and the accounts must be handed over one by one.
	Gather(g *Gathering) (bool, error)
}

// A Gathering is what a run asks of the accounts that an engine holds, and takes
// them in.
type Gathering struct {
	// Asks returns the questions that are asked of a text or list, by the fact of a
	// mapping that fills it; false where the text itself matters.
	Asks func(fact string) ([]Question, bool)
	// Joint are the dates that are compared with each other.
	Joint []Joint
	// Key is the same for accounts that come out alike, but for what compares two
	// of their dates.
	Key func(*Account) string
	// MaxAge is the largest age of the account's password.
	MaxAge func(*Account) setting.Value
	// Count takes in so many accounts that come out as one does, and returns what they
	// are counted in, by numbers.
	Count func(a *Account, n int) (reached []int, err error)
	// Examples is how many examples are wanted of what is found; Lacks how many of
	// them are not there yet.
	Examples int
	Lacks    func(reached int) int
	// Example takes in one of the accounts that were counted, in their order.
	Example func(*Account) error
}

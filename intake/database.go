package intake

import "yewcone/core/facts"

// A ColumnKind is what a column of a database holds, as far as it matters here.
type ColumnKind uint8

// The kinds of columns.
const (
	TextColumn    ColumnKind = iota // and whatever else is no date
	NumberColumn                    // whole
	InstantColumn                   // a moment in time
	LocalColumn                     // a date with a time of day, of which the mapping says the zone
	DayColumn                       // a date
	ListColumn                      // of texts
	SecondsColumn                   // a number that a mapping reads as seconds since 1970; 0 and -1 are no date
	MillisColumn                    // as milliseconds
)

// A Column is one of a table or query.
type Column struct {
	Name string
	Kind ColumnKind
	Type string // as the database calls it
}

// A Database is asked within one connection, which can write nothing and sees one
// moment as far as the database can show one.
type Database interface {
	Dialect
	// Columns describes the rows of a source.
	Columns(source string) ([]Column, error)
	// Ask hands over the rows of a query, each good until the next. A null is the
	// text "NULL". It stops at the first error of row and returns it.
	Ask(query string, row func([]string) error) error
	Close()
}

// Later is what is added to a date.
type Later struct {
	Months, Days int
	Seconds      int64
}

// A Dialect writes expressions as a database reads them. All take and return SQL,
// but for names and texts.
type Dialect interface {
	Name(column string) string
	Literal(text string) string
	// Text is a column as a mapping reads it: dates by ISO 8601, the items of a list
	// on a line each.
	Text(c Column) string
	// Key is a column that orders rows.
	Key(c Column) string
	// Sound is a date, and null where it is none that can be compared, or is written
	// as one of some texts. Seconds makes of it those since 1970.
	Sound(c Column, but []string) string
	Seconds(sound string) string
	// Plain: nothing is around a text that would be taken off, and it is not long.
	Plain(text string) string
	// OneItem: a plain text of a list is a single item. PlainItems: no item of it has
	// blanks around it.
	OneItem(text, split string) string
	PlainItems(text, split string) string
	// Least is the least of texts, byte by byte.
	Least(text string) string
	// Asked is 1 or 0, as a text, for an answer. Split is what stands between the
	// items of a list.
	Asked(text string, q facts.Question, split string) string
	// Trimmed is a text without blanks around it.
	Trimmed(text string) string
	// Place is how many of some seconds, in rising order, are not after a date.
	Place(c Column, sound string, points []int64) string
	// Order is how a date lies to another to which something is added, whole seconds
	// compared: -1, 0 or 1, and null where one is null.
	Order(a, b string, later Later) string
	Case(conditions [][2]string, otherwise string) string
	Join(texts []string) string
	Digits(number string) string // as a text
	// Together are the seconds of some dates of one row.
	Together(sound []string) string
	// Mark is short, and the same for the same texts: MD5, in hexadecimal digits.
	Mark(text string) string
	// Share is true for about one text in sixteen.
	Share(text string) string
	// FirstOf asks for the first rows, by their key, of each mark, at most so many.
	FirstOf(columns []string, source, key, mark, where string, most int) string
	Null(expression string) string // whether it is null
}

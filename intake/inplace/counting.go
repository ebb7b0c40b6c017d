package inplace

import (
	"crypto/md5"
	"encoding/hex"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
)

// A Use is what a run needs to know of a column.
type Use struct {
	Column    int
	Whole     bool // the text itself
	Null      bool // whether it is null
	Questions []facts.Question
	Split     string   // what stands between the items of a list; "" for a text
	Dates     []string // facts that it fills as a date
	Words     []string // of a date: texts that are none
}

// A Counting has a database count the rows that come out alike.
type Counting struct {
	t        *Table
	uses     []*Use
	points   map[*Use][]int64 // seconds from which on another thing comes out
	compared []comparison
}

// A comparison asks how a date lies to another to which something is added.
type comparison struct {
	a, b         *Use
	months, days int
	seconds      int64
}

// A Group are rows that come out alike.
type Group struct {
	Rows   int
	Key    string   // of the first of them
	Row    []string // one that comes out as they do
	From   []int64  // of each date in turn, the first and the last; where Dated
	To     []int64
	Dated  []bool
	class  []string
	Wanted func() bool // whether examples are wanted; nil where not
}

// MostGroups is how many groups are worth to be counted.
const MostGroups = 50_000

// NewCounting gets ready to count the rows of a table.
func NewCounting(t *Table, uses []*Use) *Counting {
	return &Counting{t: t, uses: uses, points: map[*Use][]int64{}}
}

// Dates are the uses that are dates, in the order of Group.From.
func (c *Counting) Dates() []*Use {
	var list []*Use
	for _, u := range c.uses {
		if u.date() {
			list = append(list, u)
		}
	}
	return list
}

func (u *Use) date() bool { return len(u.Dates) > 0 && !u.Whole }

func (c *Counting) column(u *Use) Column { return c.t.Columns[u.Column] }

// sound is whether a date can be compared.
func (c *Counting) sound(u *Use) string {
	sound := c.t.DB.Sound(c.column(u))
	if len(u.Words) > 0 {
		var words []string
		for _, w := range u.Words {
			words = append(words, c.t.DB.Literal(w))
		}
		sound += " AND " + c.t.DB.Text(c.column(u)) + " NOT IN (" + strings.Join(words, ", ") + ")"
	}
	return sound
}

// seconds of a date, null where it cannot be compared.
func (c *Counting) seconds(u *Use) string {
	return "CASE WHEN " + c.sound(u) + " THEN " + c.t.DB.Seconds(c.column(u)) + " END"
}

// classes are the texts that rows are told apart by.
func (c *Counting) classes() []string {
	db := c.t.DB
	var list []string
	for _, u := range c.uses {
		text := db.Text(c.column(u))
		null := [2]string{db.Null(text), "'NULL'"}
		switch {
		case u.Whole:
			list = append(list, db.Case([][2]string{null}, text))
		case u.date():
			list = append(list, db.Case([][2]string{null, {c.sound(u), db.Join([]string{"'D'", db.Digits(db.Place(db.Seconds(c.column(u)), c.points[u]))})}},
				db.Join([]string{"'R'", text})))
		case len(u.Questions) > 0:
			answers := []string{"'A'"}
			for _, q := range u.Questions {
				answers = append(answers, db.Asked(text, q, u.Split))
			}
			plain := db.Plain(text)
			if u.Split != "" {
				plain += " AND " + db.PlainItems(text, u.Split)
			}
			list = append(list, db.Case([][2]string{null, {plain, db.Join(answers)}}, db.Join([]string{"'R'", text})))
		default:
			list = append(list, db.Case([][2]string{null}, "'A'"))
		}
	}
	for _, k := range c.compared {
		list = append(list, db.Digits(db.Order(c.seconds(k.a), db.Later(c.seconds(k.b), k.months, k.days, k.seconds))))
	}
	return list
}

// Groups counts; false where there are more groups than are worth it.
func (c *Counting) Groups() ([]Group, bool, error) {
	db, classes, dates := c.t.DB, c.classes(), c.Dates()
	var columns, by, seconds []string
	for i, class := range classes {
		by = append(by, fmt.Sprintf("yewcone_%d", i))
		columns = append(columns, class+" AS "+by[i])
	}
	key := c.t.DB.Key(c.t.Columns[c.t.Key])
	columns = append(columns, db.Digits("count(*)"), db.Digits("min("+key+")"))
	for _, u := range c.uses {
		if !u.Whole && !u.date() && len(u.Questions) > 0 {
			columns = append(columns, db.Digits(db.Least(db.Text(c.column(u)))))
		}
	}
	for _, u := range dates {
		s := c.seconds(u)
		seconds = append(seconds, s)
		columns = append(columns, db.Digits("min("+s+")"), db.Digits("max("+s+")"))
	}
	if len(dates) > 0 {
		columns = append(columns, db.Together(seconds))
	}
	query := "SELECT " + strings.Join(columns, ", ") + " FROM " + c.t.From
	if len(by) > 0 {
		query += " GROUP BY " + strings.Join(by, ", ") + " ORDER BY min(" + key + ")"
	}
	query += fmt.Sprintf(" LIMIT %d", MostGroups+1)
	var groups []Group
	err := db.Ask(query, func(row []string) error {
		g, err := c.group(row, len(classes), dates)
		if err == nil && g.Rows > 0 {
			groups = append(groups, g)
		}
		return err
	})
	return groups, len(groups) <= MostGroups, err
}

// group reads a row of counts.
func (c *Counting) group(row []string, classes int, dates []*Use) (Group, error) {
	g := Group{class: slices.Clone(row[:classes]), Row: make([]string, len(c.t.Columns))}
	rest := row[classes:]
	next := func() string {
		text := rest[0]
		rest = rest[1:]
		return text
	}
	var err error
	if g.Rows, err = strconv.Atoi(next()); err != nil {
		return g, fmt.Errorf("the database does not count: %w", err)
	}
	g.Key = strings.Clone(next())
	for i, u := range c.uses {
		class := g.class[i]
		if !u.Whole && !u.date() && len(u.Questions) > 0 {
			g.Row[u.Column] = strings.Clone(next())
		}
		switch {
		case u.Whole || class == "NULL":
			g.Row[u.Column] = class
		case class[0] == 'R':
			g.Row[u.Column] = class[1:]
		case len(u.Questions) == 0 && !u.date():
			g.Row[u.Column] = "-" // of which nobody asks
		}
	}
	if len(dates) == 0 {
		return g, nil
	}
	for range dates {
		from, to := next(), next()
		g.Dated = append(g.Dated, from != "-")
		first, _ := strconv.ParseInt(from, 10, 64)
		last, _ := strconv.ParseInt(to, 10, 64)
		g.From, g.To = append(g.From, first), append(g.To, last)
	}
	for i, text := range strings.Split(strings.Trim(next(), "{}"), ",") {
		if second, err := strconv.ParseInt(text, 10, 64); err == nil && i < len(dates) && g.Row[dates[i].Column] == "" {
			g.Row[dates[i].Column] = c.Written(dates[i], second)
		}
	}
	return g, nil
}

// Written is a second of a date as the table's rows have it.
func (c *Counting) Written(u *Use, second int64) string {
	at := time.Unix(second, 0).UTC()
	switch c.column(u).Kind {
	case Instant:
		return at.Format("2006-01-02T15:04:05Z")
	case Day:
		return at.Format(time.DateOnly)
	}
	return at.Format("2006-01-02T15:04:05")
}

// Compare has two dates compared, by the facts that they fill, for all the largest
// ages that passwords have. It reports whether that is something new.
func (c *Counting) Compare(joint []facts.Joint, ages []setting.Span) bool {
	filling := func(fact string) *Use {
		i := slices.IndexFunc(c.uses, func(u *Use) bool { return u.date() && slices.Contains(u.Dates, fact) })
		if i < 0 {
			return nil
		}
		return c.uses[i]
	}
	before := len(c.compared)
	for _, j := range joint {
		a, b := filling(j.A), filling(j.B)
		if a == nil || b == nil {
			continue
		}
		spans := []setting.Span{{}}
		if j.Aged {
			spans = ages
		}
		for _, s := range spans {
			k := comparison{a: a, b: b, months: int(s.Months), days: int(s.Days), seconds: s.Seconds}
			if a == b && s == (setting.Span{}) {
				continue
			}
			c.compare(k)
			if c.column(b).Kind == Day { // which is over when the day is
				k.seconds += 86400 - 1
				c.compare(k)
			}
		}
	}
	return len(c.compared) > before
}

func (c *Counting) compare(k comparison) {
	if !slices.Contains(c.compared, k) {
		c.compared = append(c.compared, k)
	}
}

// Points returns the seconds from which on another thing comes out, for a date.
func (c *Counting) Points(u *Use) []int64 { return c.points[u] }

// Split adds such seconds, and reports whether they are new.
func (c *Counting) Split(u *Use, at ...int64) bool {
	before := len(c.points[u])
	list := append(slices.Clone(c.points[u]), at...)
	slices.Sort(list)
	c.points[u] = slices.Compact(list)
	return len(c.points[u]) > before
}

// A Sample is a row as it stands.
type Sample struct {
	Key   string
	Group int // its place among the groups; -1 where it is of none
	Row   []string
}

// Samples hands over the first rows of all, by their key, or of the groups that are
// named, at most so many of each.
func (c *Counting) Samples(groups []Group, of []int, most int, do func(*Sample) error) error {
	db, classes := c.t.DB, c.classes()
	places := map[string]int{}
	for i := range groups {
		places[strings.Join(groups[i].class, "\x00")] = i
	}
	columns := slices.Clone(classes)
	columns = append(columns, db.Digits(db.Key(c.t.Columns[c.t.Key])))
	for i := range columns {
		columns[i] += fmt.Sprintf(" AS yewcone_%d", i)
	}
	var at []int
	for i, column := range c.t.Columns {
		if c.t.asked[i] {
			columns, at = append(columns, fmt.Sprintf("%s AS yewcone_t%d", db.Text(column), i)), append(at, i)
		}
	}
	key := db.Key(c.t.Columns[c.t.Key])
	query := fmt.Sprintf("SELECT %s FROM %s ORDER BY %s LIMIT %d", strings.Join(columns, ", "), c.t.From, key, most)
	if of != nil {
		mark := db.Mark(classes)
		var marks []string
		for _, g := range of {
			sum := md5.Sum([]byte(strings.Join(groups[g].class, "|")))
			marks = append(marks, "'"+hex.EncodeToString(sum[:])+"'")
		}
		query = db.FirstOf(columns, c.t.From, key, mark, mark+" IN ("+strings.Join(marks, ", ")+")", most)
	}
	return db.Ask(query, func(row []string) error {
		s := Sample{Key: strings.Clone(row[len(classes)]), Group: -1, Row: make([]string, len(c.t.Columns))}
		if g, ok := places[strings.Join(row[:len(classes)], "\x00")]; ok {
			s.Group = g
		}
		for i, text := range row[len(classes)+1:][:len(at)] {
			s.Row[at[i]] = strings.Clone(text)
		}
		return do(&s)
	})
}

// Doubled reports whether a text of a column stands in two rows; of very many, a share
// is looked at, which shows whether a table is doubled.
func (c *Counting) Doubled(column int, share bool) (bool, error) {
	db := c.t.DB
	text := db.Trimmed(db.Text(c.t.Columns[column]))
	where := ""
	if share {
		where = " WHERE " + db.Share(text)
	}
	doubled := false
	query := fmt.Sprintf("SELECT '1' FROM %s%s GROUP BY %s HAVING count(*) > 1 LIMIT 1", c.t.From, where, text)
	err := db.Ask(query, func([]string) error {
		doubled = true
		return nil
	})
	return doubled, err
}

package inplace

import (
	"crypto/md5"
	"encoding/hex"
	"errors"
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
	a, b  *Use
	later Later
}

// A Group are rows that come out alike.
type Group struct {
	Rows  int
	Key   string   // of the first of them
	Row   []string // one that comes out as they do
	From  []int64  // of each date in turn, the first and the last; where Dated
	To    []int64
	Dated []bool
	class string
	Last  string // key of the last of them
}

// MostGroups is how many groups are worth to be counted.
const MostGroups = 100_000

// between is what stands between the classes of a row; texts that hold it make more of
// them than there are.
const between = "\x1f"

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

// sound is a date where it can be compared.
func (c *Counting) sound(u *Use) string { return c.t.DB.Sound(c.column(u), u.Words) }

// class is the text that rows are told apart by. A database that does not know how many
// sorts of it there are takes them for few, as they are, and counts in memory.
func (c *Counting) class() string {
	var parts []string
	for i, class := range c.classes() {
		if i > 0 {
			parts = append(parts, c.t.DB.Literal(between))
		}
		parts = append(parts, class)
	}
	if parts == nil {
		return "''"
	}
	return c.t.DB.Join(parts)
}

// classes are its parts.
func (c *Counting) classes() []string {
	db := c.t.DB
	var list []string
	for _, u := range c.uses {
		text := db.Text(c.column(u))
		null := [2]string{db.Null(db.Name(c.column(u).Name)), "'NULL'"}
		switch {
		case u.Whole:
			list = append(list, db.Case([][2]string{null}, text))
		case u.date():
			sound := c.sound(u)
			list = append(list, db.Case([][2]string{null, {"NOT " + db.Null(sound), db.Join([]string{"'D'", db.Digits(db.Place(c.column(u), sound, c.points[u]))})}},
				db.Join([]string{"'R'", text})))
		case len(u.Questions) > 0:
			answers, alone := []string{"'A'"}, []string{"'A'"}
			for _, q := range u.Questions {
				answers = append(answers, db.Asked(text, q, u.Split))
				if q.Op == facts.HasItem {
					q.Op = facts.Equals
				}
				alone = append(alone, db.Asked(text, q, ""))
			}
			cases := [][2]string{null, {db.Plain(text), db.Join(answers)}}
			if u.Split != "" {
				cases = [][2]string{null, {db.Plain(text) + " AND " + db.OneItem(text, u.Split), db.Join(alone)},
					{db.Plain(text) + " AND " + db.PlainItems(text, u.Split), db.Join(answers)}}
			}
			list = append(list, db.Case(cases, db.Join([]string{"'R'", text})))
		default:
			list = append(list, db.Case([][2]string{null}, "'A'"))
		}
	}
	for _, k := range c.compared {
		list = append(list, db.Digits(db.Order(c.sound(k.a), c.sound(k.b), k.later)))
	}
	return list
}

// together reports whether the first of each date may lie to the others as those of
// no row do: a month after a later day may be earlier, at another hour.
func (c *Counting) together() bool {
	return slices.ContainsFunc(c.compared, func(k comparison) bool { return k.later.Months != 0 })
}

// Sampled is of how many rows a first look is taken.
const Sampled = 200_000

// Groups counts, some rows for a first look or all; false where there are more groups
// than are worth it.
func (c *Counting) Groups(all bool) ([]Group, bool, error) {
	from := c.t.From
	if !all {
		from = fmt.Sprintf("(SELECT * FROM %s LIMIT %d) AS yewcone_some", from, Sampled)
	}
	db, dates := c.t.DB, c.Dates()
	var sound []string
	key := c.t.DB.Key(c.t.Columns[c.t.Key])
	columns := []string{c.class() + " AS yewcone_class", db.Digits("count(*)"), db.Digits("min(" + key + ")"), db.Digits("max(" + key + ")")}
	for _, u := range c.uses {
		if !u.Whole && !u.date() && len(u.Questions) > 0 {
			columns = append(columns, db.Digits(db.Least(db.Text(c.column(u)))))
		}
	}
	for _, u := range dates {
		s := c.sound(u)
		sound = append(sound, s)
		columns = append(columns, db.Digits(db.Seconds("min("+s+")")), db.Digits(db.Seconds("max("+s+")")))
	}
	if c.together() {
		columns = append(columns, db.Together(sound))
	}
	query := fmt.Sprintf("SELECT %s FROM %s GROUP BY yewcone_class ORDER BY min(%s) LIMIT %d", strings.Join(columns, ", "), from, key, MostGroups+1)
	var groups []Group
	err := db.Ask(query, func(row []string) error {
		g, err := c.group(row, dates)
		if err == nil && g.Rows > 0 {
			groups = append(groups, g)
		}
		return err
	})
	return groups, len(groups) <= MostGroups, err
}

// group reads a row of counts.
func (c *Counting) group(row []string, dates []*Use) (Group, error) {
	g := Group{class: strings.Clone(row[0]), Row: make([]string, len(c.t.Columns))}
	classes := strings.Split(g.class, between)
	if len(c.uses) > 0 && len(classes) != len(c.uses)+len(c.compared) {
		return g, errors.New("texts hold a control character that stands between them here")
	}
	rest := row[1:]
	next := func() string {
		text := rest[0]
		rest = rest[1:]
		return text
	}
	var err error
	if g.Rows, err = strconv.Atoi(next()); err != nil {
		return g, fmt.Errorf("the database does not count: %w", err)
	}
	g.Key, g.Last = strings.Clone(next()), strings.Clone(next())
	for i, u := range c.uses {
		class := classes[i]
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
	for i := range dates {
		from, to := next(), next()
		g.Dated = append(g.Dated, from != "-")
		first, _ := strconv.ParseInt(from, 10, 64)
		last, _ := strconv.ParseInt(to, 10, 64)
		g.From, g.To = append(g.From, first), append(g.To, last)
		if g.Dated[i] && !c.together() {
			g.Row[dates[i].Column] = c.Written(dates[i], first)
		}
	}
	if !c.together() {
		return g, nil
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
	case Seconds:
		return strconv.FormatInt(second, 10)
	case Millis:
		return strconv.FormatInt(second*1000, 10)
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
			k := comparison{a: a, b: b, later: Later{Months: int(s.Months), Days: int(s.Days), Seconds: s.Seconds}}
			if a == b && s == (setting.Span{}) {
				continue
			}
			c.compare(k)
			if c.column(b).Kind == Day { // which is over when the day is
				k.later.Seconds += 86400 - 1
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

// A Reach is which rows samples are taken of.
type Reach struct {
	First  int      // the first so many of all, by their key; 0 for no bound
	Groups []int    // of these groups only; nil for all
	Each   int      // where there is no bound: the first so many of each group
	Keys   []string // those with these keys only; nil for all
	Until  string   // those with a key at most this; "" for all
}

// Samples hands over rows as they stand, in the order of their keys.
func (c *Counting) Samples(groups []Group, of Reach, do func(*Sample) error) error {
	db, class := c.t.DB, c.class()
	places := map[string]int{}
	for i := range groups {
		places[groups[i].class] = i
	}
	columns := []string{class + " AS yewcone_class", db.Digits(db.Key(c.t.Columns[c.t.Key])) + " AS yewcone_at"}
	var at []int
	for i, column := range c.t.Columns {
		if c.t.asked[i] {
			columns, at = append(columns, fmt.Sprintf("%s AS yewcone_t%d", db.Text(column), i)), append(at, i)
		}
	}
	key := db.Key(c.t.Columns[c.t.Key])
	from, where, mark := c.t.From, "", db.Mark(class)
	if of.First > 0 {
		from = fmt.Sprintf("(SELECT * FROM %s ORDER BY %s LIMIT %d) AS yewcone_first", from, key, of.First)
	}
	if of.Groups != nil {
		var marks []string
		for _, g := range of.Groups {
			sum := md5.Sum([]byte(groups[g].class))
			marks = append(marks, "'"+hex.EncodeToString(sum[:])+"'")
		}
		where = mark + " IN (" + strings.Join(marks, ", ") + ")"
	}
	written := func(key string) string {
		if c.t.Columns[c.t.Key].Kind == Number {
			return key
		}
		return db.Literal(key)
	}
	if of.Keys != nil {
		var keys []string
		for _, k := range of.Keys {
			keys = append(keys, written(k))
		}
		where = key + " IN (" + strings.Join(keys, ", ") + ")"
	}
	if of.Until != "" {
		where = key + " <= " + written(of.Until) + " AND " + where
	}
	var query string
	switch {
	case of.Each > 0:
		query = db.FirstOf(columns, from, key, mark, where, of.Each)
	case where != "":
		query = fmt.Sprintf("SELECT %s FROM %s WHERE %s ORDER BY %s", strings.Join(columns, ", "), from, where, key)
	default:
		query = fmt.Sprintf("SELECT %s FROM %s ORDER BY %s", strings.Join(columns, ", "), from, key)
	}
	return db.Ask(query, func(row []string) error {
		s := Sample{Key: strings.Clone(row[1]), Group: -1, Row: make([]string, len(c.t.Columns))}
		if g, ok := places[row[0]]; ok {
			s.Group = g
		}
		for i, text := range row[2:][:len(at)] {
			s.Row[at[i]] = strings.Clone(text)
		}
		return do(&s)
	})
}

// Before reports whether a key comes before another.
func (c *Counting) Before(a, b string) bool {
	if c.t.Columns[c.t.Key].Kind == Number {
		m, _ := strconv.ParseInt(a, 10, 64)
		n, _ := strconv.ParseInt(b, 10, 64)
		return m < n
	}
	return a < b
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

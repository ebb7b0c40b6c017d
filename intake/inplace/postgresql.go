package inplace

import (
	"fmt"
	"strings"
	"time"

	"yewcone/core/facts"
)

// PostgreSQL writes what PostgreSQL reads, from version 9.5 on, and what speaks as it
// does. The connection has TimeZone UTC, DateStyle ISO and conforming strings.
type PostgreSQL struct{}

const inC = ` COLLATE "C"`

// Name quotes the name of a column.
func (PostgreSQL) Name(column string) string {
	return `"` + strings.ReplaceAll(column, `"`, `""`) + `"`
}

// Literal quotes a text.
func (PostgreSQL) Literal(text string) string { return "'" + strings.ReplaceAll(text, "'", "''") + "'" }

// Text is a column as a mapping reads it.
func (p PostgreSQL) Text(c Column) string {
	name := p.Name(c.Name)
	shown := map[Kind]string{Instant: `YYYY-MM-DD"T"HH24:MI:SS"Z"`, Local: `YYYY-MM-DD"T"HH24:MI:SS`, Day: "YYYY-MM-DD"}[c.Kind]
	switch {
	case c.Kind == List:
		return "array_to_string(" + name + `, E'\n')`
	case shown != "":
		return fmt.Sprintf("CASE WHEN %s THEN to_char(%s, '%s') ELSE %s::text END", p.whole(c), name, shown, name)
	case c.Type == "text":
		return name
	}
	return name + "::text"
}

var typeNames = map[Kind]string{Instant: "timestamptz", Local: "timestamp", Day: "date", Seconds: "timestamptz", Millis: "timestamptz"}

// whole is whether a date lies in years that are written with four digits.
func (p PostgreSQL) whole(c Column) string {
	return fmt.Sprintf("%s BETWEEN %s '0001-01-01' AND %s '9999-12-31'", p.Name(c.Name), typeNames[c.Kind], typeNames[c.Kind])
}

// Key is a column that orders rows.
func (p PostgreSQL) Key(c Column) string {
	if c.Kind == Number {
		return p.Name(c.Name)
	}
	return p.Name(c.Name) + "::text" + inC
}

// Sound is a date that can be compared.
func (p PostgreSQL) Sound(c Column, but []string) string {
	when, date := p.whole(c), p.Name(c.Name)
	switch c.Kind {
	case Seconds:
		when, date = date+" NOT IN (0, -1) AND "+date+" BETWEEN -62135596800 AND 253402300799", "to_timestamp("+date+")"
	case Millis:
		when, date = date+" NOT IN (0, -1) AND "+date+" BETWEEN -62135596800000 AND 253402300799999", "to_timestamp(floor("+date+" / 1000.0))"
	}
	if len(but) > 0 {
		when += " AND " + p.Text(c) + " NOT IN (" + literals(p, but) + ")"
	}
	return "CASE WHEN " + when + " THEN " + date + " END"
}

// Seconds of a date since 1970.
func (PostgreSQL) Seconds(sound string) string {
	return "floor(extract(epoch FROM " + sound + "))::bigint"
}

// Plain reports whether a text stands for itself: characters that no text loses are at
// its ends.
func (p PostgreSQL) Plain(text string) string {
	end := func(of string) string {
		return fmt.Sprintf("(ascii(%s) BETWEEN 33 AND 126 OR ascii(%s) BETWEEN 192 AND 5759)", of, of)
	}
	return fmt.Sprintf("octet_length(%s) <= 200 AND %s AND %s AND %s NOT IN ('NULL', 'null')", text, end(text), end("right("+text+", 1)"), text)
}

// OneItem reports whether a plain text is a single item.
func (p PostgreSQL) OneItem(text, split string) string {
	return "strpos(" + text + ", " + p.Literal(split) + ") = 0"
}

// PlainItems reports whether no item of a list has blanks around it.
func (p PostgreSQL) PlainItems(text, split string) string {
	return fmt.Sprintf("strpos(%s, %s) = 0 AND strpos(%s, %s) = 0 AND %s%s !~ '[^ !-~\u00C0-\u167F\u3041-\uD7FF\n]'", text, p.Literal(" "+split), text,
		p.Literal(split+" "), text, inC)
}

// Least is the least of texts.
func (PostgreSQL) Least(text string) string { return "min(" + text + inC + ")" }

// Asked is the answer to a question, as 1 or 0.
func (p PostgreSQL) Asked(text string, q facts.Question, split string) string {
	is := ""
	switch q.Op {
	case facts.Equals:
		is = text + " IN (" + literals(p, q.Texts) + ")"
	case facts.NameOnly:
		is = "split_part(" + text + ", '@', 1) IN (" + literals(p, q.Texts) + ")"
	default:
		var any []string
		for _, t := range q.Texts {
			switch n := len([]rune(t)); q.Op {
			case facts.Begins:
				any = append(any, fmt.Sprintf("left(%s, %d) = %s", text, n, p.Literal(t)))
			case facts.Ends:
				any = append(any, fmt.Sprintf("right(%s, %d) = %s", text, n, p.Literal(t)))
			case facts.Holds:
				any = append(any, fmt.Sprintf("strpos(%s, %s) > 0", text, p.Literal(t)))
			case facts.HasItem:
				any = append(any, fmt.Sprintf("strpos(%s || %s || %s, %s) > 0", p.Literal(split), text, p.Literal(split), p.Literal(split+t+split)))
			}
		}
		is = strings.Join(any, " OR ")
	}
	return "CASE WHEN " + is + " THEN '1' ELSE '0' END"
}

// Trimmed is a text without blanks around it.
func (PostgreSQL) Trimmed(text string) string { return "btrim(" + text + `, E' \t\r\n')` }

// Place is how many of some seconds are not after a date.
func (PostgreSQL) Place(c Column, sound string, points []int64) string {
	if len(points) == 0 {
		return "0"
	}
	list, layout := make([]string, len(points)), map[Kind]string{Instant: "2006-01-02 15:04:05Z", Local: time.DateTime, Day: time.DateOnly,
		Seconds: "2006-01-02 15:04:05Z", Millis: "2006-01-02 15:04:05Z"}[c.Kind]
	for i, at := range points {
		list[i] = "'" + time.Unix(at, 0).UTC().Format(layout) + "'"
	}
	return "width_bucket(" + sound + ", ARRAY[" + strings.Join(list, ", ") + "]::" + typeNames[c.Kind] + "[])"
}

// Order compares two dates: days and times without a zone are those of UTC, as the
// connection has it.
func (PostgreSQL) Order(a, b string, later Later) string {
	seconds := func(date string) string { return "date_trunc('second', (" + date + ")::timestamptz)" }
	a, b = seconds(a), seconds(b)
	if later != (Later{}) {
		b = fmt.Sprintf("(%s + interval '%d months %d days %d seconds')", b, later.Months, later.Days, later.Seconds)
	}
	return fmt.Sprintf("CASE WHEN %s > %s THEN 1 WHEN %s < %s THEN -1 WHEN %s = %s THEN 0 END", a, b, a, b, a, b)
}

// Case is the first of some texts whose condition holds.
func (PostgreSQL) Case(conditions [][2]string, otherwise string) string {
	var b strings.Builder
	b.WriteString("CASE")
	for _, c := range conditions {
		b.WriteString(" WHEN " + c[0] + " THEN " + c[1])
	}
	return b.String() + " ELSE " + otherwise + " END"
}

// Join puts texts one after the other.
func (PostgreSQL) Join(texts []string) string { return "(" + strings.Join(texts, " || ") + ")" }

// Digits is a number as a text; "-" for null.
func (PostgreSQL) Digits(number string) string { return "coalesce((" + number + ")::text, '-')" }

// Together are the seconds of some dates of one row.
func (p PostgreSQL) Together(sound []string) string {
	list := make([]string, len(sound))
	for i, date := range sound {
		list[i] = p.Seconds(date)
	}
	return "min(ARRAY[" + strings.Join(list, ", ") + "])::text"
}

// Mark is short, and the same for the same texts.
func (PostgreSQL) Mark(text string) string { return "md5(" + text + ")" }

// Share is true for about one text in sixteen.
func (PostgreSQL) Share(text string) string { return "left(md5(" + text + "), 1) = '7'" }

// FirstOf asks for the first rows of each mark.
func (PostgreSQL) FirstOf(columns []string, source, key, mark, where string, most int) string {
	return fmt.Sprintf("SELECT * FROM (SELECT %s, %s AS yewcone_key, row_number() OVER (PARTITION BY %s ORDER BY %s) AS yewcone_n FROM %s WHERE %s) AS "+
		"yewcone_first WHERE yewcone_n <= %d ORDER BY yewcone_key", strings.Join(columns, ", "), key, mark, key, source, where, most)
}

// Null reports whether a text is null.
func (PostgreSQL) Null(text string) string { return text + " IS NULL" }

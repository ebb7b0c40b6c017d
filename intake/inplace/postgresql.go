package inplace

import (
	"fmt"
	"strconv"
	"strings"

	"yewcone/core/facts"
)

// PostgreSQL writes what PostgreSQL reads, from version 9.5 on, and what speaks as it
// does. The connection has TimeZone UTC, DateStyle ISO and conforming strings.
type PostgreSQL struct{}

const (
	inC = ` COLLATE "C"`
	// The seconds of year 1 and of year 9999: what lies outside is told as it is
	// written.
	firstSecond, lastSecond = -62135596800, 253402300799
)

// visible are characters that no text loses at its ends.
const visible = `[!-~\u00C0-\u167F\u3041-\uD7FF]`

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
		return fmt.Sprintf("CASE WHEN %s THEN to_char(%s, '%s') ELSE %s::text END", p.Sound(c), name, shown, name)
	}
	return name + "::text"
}

// Key is a column that orders rows.
func (p PostgreSQL) Key(c Column) string {
	if c.Kind == Number {
		return p.Name(c.Name)
	}
	return p.Name(c.Name) + "::text" + inC
}

// Seconds of a date since 1970.
func (p PostgreSQL) Seconds(c Column) string {
	return "floor(extract(epoch FROM " + p.Name(c.Name) + "))::bigint"
}

// Sound reports whether a date can be compared.
func (p PostgreSQL) Sound(c Column) string {
	type_ := map[Kind]string{Instant: "timestamptz", Local: "timestamp", Day: "date"}[c.Kind]
	return fmt.Sprintf("%s BETWEEN %s '0001-01-01' AND %s '9999-12-31'", p.Name(c.Name), type_, type_)
}

// Plain reports whether a text stands for itself.
func (PostgreSQL) Plain(text string) string {
	return fmt.Sprintf("length(%s) <= 100 AND left(%s, 1)%s ~ '%s' AND right(%s, 1)%s ~ '%s' AND %s NOT IN ('NULL', 'null')", text, text, inC, visible,
		text, inC, visible, text)
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
	is, n := "", len([]rune(q.Text))
	switch q.Op {
	case facts.Equals:
		is = text + " = " + p.Literal(q.Text)
	case facts.Begins:
		is = fmt.Sprintf("left(%s, %d) = %s", text, n, p.Literal(q.Text))
	case facts.Ends:
		is = fmt.Sprintf("right(%s, %d) = %s", text, n, p.Literal(q.Text))
	case facts.Holds:
		is = fmt.Sprintf("strpos(%s, %s) > 0", text, p.Literal(q.Text))
	case facts.HasItem:
		is = fmt.Sprintf("strpos(%s || %s || %s, %s) > 0", p.Literal(split), text, p.Literal(split), p.Literal(split+q.Text+split))
	case facts.NameOnly:
		is = fmt.Sprintf("split_part(%s, '@', 1) = %s", text, p.Literal(q.Text))
	}
	return "CASE WHEN " + is + " THEN '1' ELSE '0' END"
}

// Trimmed is a text without blanks around it.
func (PostgreSQL) Trimmed(text string) string { return "btrim(" + text + `, E' \t\r\n')` }

// Place is how many of some rising numbers are at most one.
func (PostgreSQL) Place(number string, points []int64) string {
	if len(points) == 0 {
		return "0"
	}
	return "width_bucket(" + number + ", ARRAY[" + list(points) + "]::bigint[])"
}

// Later is the second that lies some months and days after another.
func (PostgreSQL) Later(seconds string, months, days int, more int64) string {
	if months == 0 {
		return fmt.Sprintf("(%s + %d)", seconds, int64(days)*86400+more)
	}
	return fmt.Sprintf("(extract(epoch FROM (to_timestamp(%s) AT TIME ZONE 'UTC' + interval '%d months'))::bigint + %d)", seconds, months,
		int64(days)*86400+more)
}

// Order compares two numbers.
func (PostgreSQL) Order(a, b string) string { return "sign(" + a + " - " + b + ")::int" }

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

// Together are the numbers of a row.
func (PostgreSQL) Together(numbers []string) string {
	return "min(ARRAY[" + strings.Join(numbers, ", ") + "])::text"
}

// Mark is short, and the same for the same texts.
func (PostgreSQL) Mark(texts []string) string {
	return "md5(concat_ws('|', " + strings.Join(texts, ", ") + "))"
}

// Share is true for about one text in sixteen.
func (PostgreSQL) Share(text string) string { return "left(md5(" + text + "), 1) = '7'" }

// FirstOf asks for the first rows of each mark.
func (PostgreSQL) FirstOf(columns []string, source, key, mark, where string, most int) string {
	return fmt.Sprintf("SELECT * FROM (SELECT %s, %s AS yewcone_key, row_number() OVER (PARTITION BY %s ORDER BY %s) AS yewcone_n FROM %s WHERE %s) AS "+
		"yewcone_first WHERE yewcone_n <= %d ORDER BY yewcone_key", strings.Join(columns, ", "), key, mark, key, source, where, most)
}

// Null reports whether a text is null.
func (PostgreSQL) Null(text string) string { return text + " IS NULL" }

func list(numbers []int64) string {
	texts := make([]string, len(numbers))
	for i, n := range numbers {
		texts[i] = strconv.FormatInt(n, 10)
	}
	return strings.Join(texts, ", ")
}

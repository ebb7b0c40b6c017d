package inplace

import (
	"fmt"
	"strconv"
	"strings"

	"yewcone/core/facts"
)

// ClickHouse writes what ClickHouse reads, from version 18 on.
type ClickHouse struct{}

// Name quotes the name of a column.
func (ClickHouse) Name(column string) string {
	return "`" + strings.NewReplacer("\\", "\\\\", "`", "\\`").Replace(column) + "`"
}

// Literal quotes a text.
func (ClickHouse) Literal(text string) string {
	return "'" + strings.NewReplacer("\\", "\\\\", "'", "\\'", "\n", "\\n", "\t", "\\t", "\r", "\\r", "\x00", "\\0").Replace(text) + "'"
}

// Text is a column as a mapping reads it.
func (h ClickHouse) Text(c Column) string {
	name := h.Name(c.Name)
	switch c.Kind {
	case List:
		return "arrayStringConcat(" + name + ", '\\n')"
	case Instant:
		return "if(" + h.Sound(c) + ", concat(replaceOne(toString(" + name + ", 'UTC'), ' ', 'T'), 'Z'), toString(" + name + "))"
	}
	return "toString(" + name + ")"
}

// Key is a column that orders rows.
func (h ClickHouse) Key(c Column) string {
	if c.Kind == Number {
		return h.Name(c.Name)
	}
	return h.Text(c)
}

// Seconds of a date since 1970.
func (h ClickHouse) Seconds(c Column) string {
	if c.Kind == Day {
		return "(toInt64(toUInt16(" + h.Name(c.Name) + ")) * 86400)"
	}
	return "toInt64(toUInt32(" + h.Name(c.Name) + "))"
}

// Sound reports whether a date can be compared: 0 is written as no date.
func (h ClickHouse) Sound(c Column) string { return h.Seconds(c) + " > 0" }

// Plain reports whether a text stands for itself.
func (ClickHouse) Plain(text string) string {
	const visible = `[!-~\\x{C0}-\\x{167F}\\x{3041}-\\x{D7FF}]`
	return fmt.Sprintf("length(%s) <= 200 AND match(%s, '^%s') AND match(%s, '%s\\\\z') AND %s NOT IN ('NULL', 'null')", text, text, visible, text, visible, text)
}

// PlainItems reports whether no item of a list has blanks around it.
func (h ClickHouse) PlainItems(text, split string) string {
	return fmt.Sprintf(`position(%s, %s) = 0 AND position(%s, %s) = 0 AND NOT match(%s, '[^ !-~\\x{C0}-\\x{167F}\\x{3041}-\\x{D7FF}\\n]')`, text,
		h.Literal(" "+split), text, h.Literal(split+" "), text)
}

// Least is the least of texts.
func (ClickHouse) Least(text string) string { return "min(" + text + ")" }

// Asked is the answer to a question, as 1 or 0.
func (h ClickHouse) Asked(text string, q facts.Question, split string) string {
	is, what := "", h.Literal(q.Text)
	switch q.Op {
	case facts.Equals:
		is = text + " = " + what
	case facts.Begins:
		is = fmt.Sprintf("substring(%s, 1, %d) = %s", text, len(q.Text), what)
	case facts.Ends:
		is = fmt.Sprintf("endsWith(%s, %s)", text, what)
	case facts.Holds:
		is = fmt.Sprintf("position(%s, %s) > 0", text, what)
	case facts.HasItem:
		is = fmt.Sprintf("position(concat(%s, %s, %s), %s) > 0", h.Literal(split), text, h.Literal(split), h.Literal(split+q.Text+split))
	case facts.NameOnly:
		is = fmt.Sprintf("if(position(%s, '@') = 0, %s, substring(%s, 1, toInt64(position(%s, '@')) - 1)) = %s", text, text, text, text, what)
	}
	if q.Text == "" && q.Op != facts.Equals && q.Op != facts.NameOnly {
		return "'1'"
	}
	return "if(" + is + ", '1', '0')"
}

// Trimmed is a text without blanks around it.
func (ClickHouse) Trimmed(text string) string {
	return "replaceRegexpAll(" + text + `, '^[ \\t\\r\\n]+|[ \\t\\r\\n]+\\z', '')`
}

// Place is how many of some rising numbers are at most one.
func (ClickHouse) Place(number string, points []int64) string {
	if len(points) == 0 {
		return "0"
	}
	var parts []string
	for _, p := range points {
		parts = append(parts, fmt.Sprintf("(%s >= %d)", number, p))
	}
	return "(" + strings.Join(parts, " + ") + ")"
}

// Later is the second that lies some months and days after another.
func (ClickHouse) Later(seconds string, months, days int, more int64) string {
	if months != 0 {
		seconds = fmt.Sprintf("toInt64(toUInt32(addMonths(toDateTime(%s, 'UTC'), %d)))", seconds, months)
	}
	return fmt.Sprintf("(%s + %d)", seconds, int64(days)*86400+more)
}

// Order compares two numbers.
func (ClickHouse) Order(a, b string) string {
	return fmt.Sprintf("multiIf(isNull(%s) OR isNull(%s), 9, %s > %s, 1, %s < %s, -1, 0)", a, b, a, b, a, b)
}

// Case is the first of some texts whose condition holds.
func (ClickHouse) Case(conditions [][2]string, otherwise string) string {
	var parts []string
	for _, c := range conditions {
		parts = append(parts, c[0], c[1])
	}
	return "assumeNotNull(multiIf(" + strings.Join(append(parts, otherwise), ", ") + "))"
}

// Join puts texts one after the other.
func (ClickHouse) Join(texts []string) string {
	if len(texts) == 1 {
		return texts[0]
	}
	return "concat(" + strings.Join(texts, ", ") + ")"
}

// Digits is a number as a text; "-" for null.
func (ClickHouse) Digits(number string) string { return "ifNull(toString(" + number + "), '-')" }

// Together are the numbers of a row.
func (h ClickHouse) Together(numbers []string) string {
	var parts []string
	for i, n := range numbers {
		if i > 0 {
			parts = append(parts, "','")
		}
		parts = append(parts, "ifNull(toString("+n+"), 'NULL')")
	}
	return "min(" + h.Join(parts) + ")"
}

// Mark is short, and the same for the same texts.
func (ClickHouse) Mark(texts []string) string {
	return "lower(hex(MD5(arrayStringConcat([" + strings.Join(texts, ", ") + "], '|'))))"
}

// Share is true for about one text in sixteen.
func (ClickHouse) Share(text string) string { return "cityHash64(" + text + ") % 16 = 7" }

// FirstOf asks for the first rows of each mark.
func (ClickHouse) FirstOf(columns []string, source, key, mark, where string, most int) string {
	return fmt.Sprintf("SELECT %s, %s AS yewcone_mark FROM %s WHERE %s ORDER BY %s LIMIT %d BY yewcone_mark", strings.Join(columns, ", "), mark, source, where,
		key, most)
}

// Null reports whether a text is null.
func (ClickHouse) Null(text string) string { return "isNull(" + text + ")" }

// KindOf is the kind of a type as ClickHouse names it.
func (ClickHouse) KindOf(name string) Kind {
	for inner := ""; inner != name; {
		inner = name
		for _, around := range []string{"Nullable(", "LowCardinality("} {
			if cut, ok := strings.CutPrefix(name, around); ok {
				name = strings.TrimSuffix(cut, ")")
			}
		}
	}
	switch {
	case name == "Date":
		return Day
	case name == "DateTime" || strings.HasPrefix(name, "DateTime("):
		return Instant
	case strings.HasPrefix(name, "Array("):
		return List
	}
	if bits := strings.TrimPrefix(strings.TrimPrefix(name, "U"), "Int"); bits != name {
		if n, err := strconv.Atoi(bits); err == nil && n <= 64 {
			return Number
		}
	}
	return Text
}

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
		return "if(" + h.seconds(c) + " > 0, concat(replaceOne(toString(" + name + ", 'UTC'), ' ', 'T'), 'Z'), toString(" + name + "))"
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

// Sound is a date that can be compared, as seconds since 1970: 0 is written as no date.
func (h ClickHouse) Sound(c Column, but []string) string {
	when := h.seconds(c) + " > 0"
	if c.Kind == Seconds || c.Kind == Millis {
		when = h.Name(c.Name) + " NOT IN (0, -1)"
	}
	if len(but) > 0 {
		when += " AND " + h.Text(c) + " NOT IN (" + literals(h, but) + ")"
	}
	return "if(" + when + ", " + h.seconds(c) + ", NULL)"
}

func (h ClickHouse) seconds(c Column) string {
	if c.Kind == Day {
		return "(toInt64(toUInt16(" + h.Name(c.Name) + ")) * 86400)"
	}
	switch c.Kind {
	case Seconds:
		return "toInt64(" + h.Name(c.Name) + ")"
	case Millis:
		return "toInt64(floor(" + h.Name(c.Name) + " / 1000))"
	}
	return "toInt64(toUInt32(" + h.Name(c.Name) + "))"
}

// Seconds is what Sound is already.
func (ClickHouse) Seconds(sound string) string { return sound }

// Plain reports whether a text stands for itself: characters that no text loses are at
// its ends, such as visible ones of ASCII, and letters of two bytes.
func (ClickHouse) Plain(text string) string {
	last := "substring(" + text + ", -1)"
	return fmt.Sprintf(`length(%s) <= 200 AND (%s >= '!' AND %s < '\x7F' OR %s >= '\xC3\x80' AND %s < '\xE1\x9A\x80') AND `+
		`(%s >= '!' AND %s < '\x7F' OR substring(%s, -2) >= '\xC3\x80' AND substring(%s, -2) < '\xE0') AND %s NOT IN ('NULL', 'null')`,
		text, text, text, text, text, last, last, text, text, text)
}

// OneItem reports whether a plain text is a single item.
func (h ClickHouse) OneItem(text, split string) string {
	return "position(" + text + ", " + h.Literal(split) + ") = 0"
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
	is := ""
	switch q.Op {
	case facts.Equals:
		is = text + " IN (" + literals(h, q.Texts) + ")"
	case facts.NameOnly:
		is = fmt.Sprintf("substring(%s, 1, toInt64(position(concat(%s, '@'), '@')) - 1) IN (%s)", text, text, literals(h, q.Texts))
	default:
		var any []string
		for _, t := range q.Texts {
			switch what := h.Literal(t); {
			case t == "" && q.Op != facts.HasItem:
				any = append(any, "1")
			case q.Op == facts.Begins:
				any = append(any, fmt.Sprintf("substring(%s, 1, %d) = %s", text, len(t), what))
			case q.Op == facts.Ends:
				any = append(any, fmt.Sprintf("endsWith(%s, %s)", text, what))
			case q.Op == facts.Holds:
				any = append(any, fmt.Sprintf("position(%s, %s) > 0", text, what))
			case q.Op == facts.HasItem:
				any = append(any, fmt.Sprintf("position(concat(%s, %s, %s), %s) > 0", h.Literal(split), text, h.Literal(split), h.Literal(split+t+split)))
			}
		}
		is = strings.Join(any, " OR ")
	}
	return "if(" + is + ", '1', '0')"
}

// Trimmed is a text without blanks around it.
func (ClickHouse) Trimmed(text string) string {
	return "replaceRegexpAll(" + text + `, '^[ \\t\\r\\n]+|[ \\t\\r\\n]+\\z', '')`
}

// Place is how many of some seconds are not after a date.
func (ClickHouse) Place(_ Column, sound string, points []int64) string {
	if len(points) == 0 {
		return "0"
	}
	var parts []string
	for _, p := range points {
		parts = append(parts, fmt.Sprintf("(%s >= %d)", sound, p))
	}
	return "(" + strings.Join(parts, " + ") + ")"
}

// Order compares two dates.
func (ClickHouse) Order(a, b string, later Later) string {
	if later.Months != 0 {
		b = fmt.Sprintf("toInt64(toUInt32(addMonths(toDateTime(%s, 'UTC'), %d)))", b, later.Months)
	}
	if more := int64(later.Days)*86400 + later.Seconds; more != 0 {
		b = fmt.Sprintf("(%s + %d)", b, more)
	}
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
func (h ClickHouse) Together(sound []string) string {
	var parts []string
	for i, n := range sound {
		if i > 0 {
			parts = append(parts, "','")
		}
		parts = append(parts, "ifNull(toString("+n+"), 'NULL')")
	}
	return "min(" + h.Join(parts) + ")"
}

// Mark is short, and the same for the same texts.
func (ClickHouse) Mark(text string) string { return "lower(hex(MD5(" + text + ")))" }

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

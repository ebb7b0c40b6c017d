package mapping_test

import (
	"crypto/md5"
	"database/sql"
	"database/sql/driver"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"modernc.org/sqlite"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/estatefolder"
	"yewcone/intake/inplace"
)

// embedded is a database within the test: a third dialect, so that what is counted
// where it lies is held against what is read on every machine.
type embedded struct {
	inplace.PostgreSQL // for what both write alike
	db                 *sql.DB
	kinds              map[string]intake.ColumnKind
}

var functions = sync.OnceFunc(func() {
	text := func(v driver.Value) string { s, _ := v.(string); return s }
	add := func(name string, n int32, f func(args []driver.Value) driver.Value) {
		sqlite.MustRegisterDeterministicScalarFunction(name, n, func(_ *sqlite.FunctionContext, args []driver.Value) (driver.Value, error) {
			return f(args), nil
		})
	}
	add("yc_md5", 1, func(a []driver.Value) driver.Value {
		sum := md5.Sum([]byte(text(a[0])))
		return hex.EncodeToString(sum[:])
	})
	add("yc_plain", 1, func(a []driver.Value) driver.Value {
		s := text(a[0])
		return s != "" && s == strings.TrimSpace(s) && s != "NULL" && s != "null" && len(s) <= 200
	})
	add("yc_items", 2, func(a []driver.Value) driver.Value {
		s, split := text(a[0]), text(a[1])
		return !strings.Contains(s, " "+split) && !strings.Contains(s, split+" ")
	})
	add("yc_later", 4, func(a []driver.Value) driver.Value {
		at, ok := a[0].(int64)
		if !ok {
			return nil
		}
		span := setting.Span{Months: int32(a[1].(int64)), Days: int32(a[2].(int64)), Seconds: a[3].(int64)}
		return span.After(time.Unix(at, 0).UTC()).Unix()
	})
})

func (e *embedded) literals(texts []string) string {
	var list []string
	for _, t := range texts {
		list = append(list, e.Literal(t))
	}
	return strings.Join(list, ", ")
}

func (e *embedded) Text(c intake.Column) string { return e.Name(c.Name) }
func (e *embedded) Key(c intake.Column) string  { return e.Name(c.Name) }
func (e *embedded) Seconds(sound string) string { return sound }
func (e *embedded) Plain(text string) string    { return "yc_plain(" + text + ")" }
func (e *embedded) Least(text string) string    { return "min(" + text + ")" }
func (e *embedded) Mark(text string) string     { return "yc_md5(" + text + ")" }
func (e *embedded) Share(text string) string    { return "substr(yc_md5(" + text + "), 1, 1) = '7'" }
func (e *embedded) Trimmed(text string) string {
	return "trim(" + text + ", ' ' || char(9) || char(10) || char(13))"
}

func (e *embedded) Sound(c intake.Column, but []string) string {
	if c.Kind == inplace.Seconds || c.Kind == inplace.Millis {
		scale := map[intake.ColumnKind]string{inplace.Seconds: "", inplace.Millis: " / 1000"}[c.Kind]
		return fmt.Sprintf("CASE WHEN CAST(%s AS TEXT) NOT IN (%s) THEN %s%s END", e.Name(c.Name), e.literals(append(but, "0", "-1")), e.Name(c.Name), scale)
	}
	return fmt.Sprintf("CASE WHEN %s NOT IN (%s) THEN CAST(strftime('%%s', %s) AS INTEGER) END", e.Name(c.Name), e.literals(append(but, "")), e.Name(c.Name))
}

func (e *embedded) OneItem(text, split string) string {
	return "instr(" + text + ", " + e.Literal(split) + ") = 0"
}

func (e *embedded) PlainItems(text, split string) string {
	return "yc_items(" + text + ", " + e.Literal(split) + ")"
}

func (e *embedded) Asked(text string, q facts.Question, split string) string {
	var any []string
	for _, t := range q.Texts {
		what := e.Literal(t)
		switch q.Op {
		case facts.Equals:
			any = append(any, text+" = "+what)
		case facts.NameOnly:
			any = append(any, fmt.Sprintf("substr(%s, 1, instr(%s || '@', '@') - 1) = %s", text, text, what))
		case facts.Begins:
			any = append(any, fmt.Sprintf("substr(%s, 1, %d) = %s", text, len([]rune(t)), what))
		case facts.Ends:
			any = append(any, fmt.Sprintf("substr(%s, -%d) = %s", text, len([]rune(t)), what))
		case facts.Holds:
			any = append(any, fmt.Sprintf("instr(%s, %s) > 0", text, what))
		case facts.HasItem:
			any = append(any, fmt.Sprintf("instr(%s || %s || %s, %s) > 0", e.Literal(split), text, e.Literal(split), e.Literal(split+t+split)))
		}
	}
	return "CASE WHEN " + strings.Join(any, " OR ") + " THEN '1' ELSE '0' END"
}

func (e *embedded) Place(_ intake.Column, sound string, points []int64) string {
	parts := []string{"0"}
	for _, p := range points {
		parts = append(parts, fmt.Sprintf("(%s >= %d)", sound, p))
	}
	return strings.Join(parts, " + ")
}

func (e *embedded) Order(a, b string, later intake.Later) string {
	b = fmt.Sprintf("yc_later(%s, %d, %d, %d)", b, later.Months, later.Days, later.Seconds)
	return fmt.Sprintf("CASE WHEN %s > %s THEN 1 WHEN %s < %s THEN -1 WHEN %s = %s THEN 0 END", a, b, a, b, a, b)
}

func (e *embedded) Digits(number string) string {
	return "coalesce(CAST((" + number + ") AS TEXT), '-')"
}

func (e *embedded) Together(sound []string) string {
	var list []string
	for _, s := range sound {
		list = append(list, "coalesce(CAST("+s+" AS TEXT), 'NULL')")
	}
	return "min(" + strings.Join(list, " || ',' || ") + ")"
}

func (e *embedded) Where() string { return "the test" }
func (e *embedded) Close()        {}

func (e *embedded) Columns(source string) ([]intake.Column, error) {
	rows, err := e.db.Query("SELECT * FROM " + source + " LIMIT 0")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	names, err := rows.Columns()
	var list []intake.Column
	for _, name := range names {
		list = append(list, intake.Column{Name: name, Kind: e.kinds[name]})
	}
	return list, errors.Join(err, rows.Err())
}

func (e *embedded) Ask(query string, row func([]string) error) error {
	rows, err := e.db.Query(query)
	if err != nil {
		return err
	}
	defer rows.Close()
	names, err := rows.Columns()
	if err != nil {
		return err
	}
	texts, into, null := make([]string, len(names)), make([]any, len(names)), make([]sql.NullString, len(names))
	for i := range into {
		into[i] = &null[i]
	}
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		for i := range null {
			if texts[i] = null[i].String; !null[i].Valid {
				texts[i] = "NULL"
			}
		}
		if err := row(texts); err != nil {
			return err
		}
	}
	return rows.Err()
}

// newEmbedded is the engine within the test.
func newEmbedded() *engine {
	functions()
	e := &embedded{}
	x := engine{name: "the test's own database", source: `{ask: postgresql, address: "postgres://localhost/none"}`,
		connect: func(*estatefolder.System) (intake.Database, error) { return e, nil }}
	x.load = func(t *testing.T, h *held) {
		t.Helper()
		db, err := sql.Open("sqlite", ":memory:")
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = db.Close() })
		db.SetMaxOpenConns(1)
		*e = embedded{db: db, kinds: map[string]intake.ColumnKind{"id": inplace.Number}}
		for c, as := range h.types {
			e.kinds[c] = map[string]intake.ColumnKind{"instant": inplace.Instant, "day": inplace.Day, "seconds": inplace.Number,
				"millis": inplace.Number}[as]
		}
		tx, err := db.Begin()
		if err != nil {
			t.Fatal(err)
		}
		if _, err := tx.Exec(h.create("rows", "INTEGER PRIMARY KEY", "TEXT", "TEXT", "TEXT", "INTEGER")); err != nil {
			t.Fatal(err)
		}
		insert, err := tx.Prepare("INSERT INTO rows VALUES (?" + strings.Repeat(", ?", len(h.columns)-1) + ")")
		if err != nil {
			t.Fatal(err)
		}
		for _, row := range h.rows {
			values := make([]any, len(row))
			for i, text := range row {
				if values[i] = text; text == "NULL" {
					values[i] = nil
				}
			}
			if _, err := insert.Exec(values...); err != nil {
				t.Fatal(err)
			}
		}
		if err := tx.Commit(); err != nil {
			t.Fatal(err)
		}
	}
	return &x
}

// TestInPlace: what comes out is the same whether accounts are read from a CSV or
// counted by a database. TestLiveInPlace asks others.
func TestInPlace(t *testing.T) {
	some := uint64(60)
	if testing.Short() {
		some = 5
	}
	told(t, newEmbedded(), some)
}

func FuzzInPlace(f *testing.F) {
	f.Add(uint64(2000))
	x := newEmbedded()
	f.Fuzz(func(t *testing.T, seed uint64) { x.same(t, []uint64{seed}) })
}

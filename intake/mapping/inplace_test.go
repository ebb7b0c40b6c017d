//go:build !race

// The race detector compiles SQLite for minutes, and nothing here runs side by side.
package mapping_test

import (
	"crypto/md5"
	"database/sql"
	"database/sql/driver"
	"encoding/hex"
	"errors"
	"fmt"
	"math/rand/v2"
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

func (e *embedded) Close() {}

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

// TestInPlaceDates: dates beside one another and at the ends of months and days, as
// moments, days and numbers.
func TestInPlaceDates(t *testing.T) {
	x, some := newEmbedded(), uint64(24)
	if testing.Short() {
		some = 2
	}
	for seed := range some {
		m := &made{Rand: rand.New(rand.NewPCG(seed, 9)), files: map[string]string{}}
		h := &held{made: m, columns: []string{"id", "login", "policy", "made", "set", "seen"}, types: map[string]string{}}
		as := map[string]string{}
		for _, c := range h.columns[3:] {
			h.types[c] = m.pick("instant", "instant", "day", "seconds")
			as[c] = map[string]string{"seconds": ", dates: epoch seconds", "day": `, words: {"2026-08-30": never}`,
				"instant": `, words: {"2026-08-30T10:00:00Z": never}`}[h.types[c]]
		}
		written := func(c string, at time.Time) string {
			switch h.types[c] {
			case "day":
				return at.Format(time.DateOnly)
			case "seconds":
				return fmt.Sprint(at.Unix())
			}
			return at.Format(time.RFC3339)
		}
		table := "id,login,policy,made,set,seen\n"
		for i := range 1500 {
			hour := func(most int) time.Duration { return time.Duration(m.IntN(most)) * time.Hour }
			set := time.Date(2026, 8, 26, 0, 0, 0, 0, time.UTC).Add(hour(24 * 7))
			made := set.Add(hour(6) - hour(6))
			seen := set.AddDate(0, 3, 0).Add(hour(40) - hour(40))
			if m.IntN(3) == 0 {
				seen = set.AddDate(0, 0, 90).Add(time.Duration(m.IntN(5)-2) * time.Second)
			}
			row := []string{fmt.Sprint(i + 2), fmt.Sprint("u", i), m.pick("crew", "office"), written("made", made), written("set", set), written("seen", seen)}
			h.rows = append(h.rows, row)
			table += strings.Join(row, ",") + "\n"
		}
		h.files["accounts.csv"] = table
		h.files["policies.csv"] = "name,months,days\ncrew,3,\noffice,,90\n"
		h.files["mapping.yaml"] = "mapping: made\ndates: iso 8601\nsettings:\n  - file: policies.csv\n    layout: rows\n    policy: name\n    take: {max_age: {from: " +
			m.pick("months, unit: months", "days, unit: days") + "}}\naccounts:\n  - file: accounts.csv\n    fixed: {password_usable: yes}\n    take:\n" +
			fmt.Sprintf("      login: login\n      policy: policy\n      created: {from: made%s}\n      password_set: {from: set%s}\n      last_sign_in: {from: seen%s}\n",
				as["made"], as["set"], as["seen"])
		h.files["rules/made.yaml"] = "rules: made\ntitle: Made\nclauses:\n"
		for i, c := range []string{"used_after_end", "last_sign_in > password_expires", "overdue", "password_set < created", "never_changed", "idle > password_age"} {
			h.files["rules/made.yaml"] += fmt.Sprintf("  - {id: c%d, forbid: '%s', because: it is asked}\n", i, c)
		}
		h.files["estate.yaml"] = "estate: Made\nas_of: " + m.pick("2026-11-30", "2026-11-30", "2026-11-28") + " 09:30\nsystems:\n  accounts:\n" +
			"    export: {read: mapping, from: accounts.csv, mapping: mapping.yaml}\n    chooses: assigned\n    default: crew\n    rules: made\n"
		if notes := x.compare(t, h, fmt.Sprint("dates ", seed)); strings.Contains(notes, "one by one") {
			t.Errorf("dates %d: %s", seed, notes)
		}
	}
}

func FuzzInPlace(f *testing.F) {
	f.Add(uint64(2000))
	x := newEmbedded()
	few := 600 // an input may not take ten seconds, whatever else the machine does
	f.Fuzz(func(t *testing.T, seed uint64) { x.same(t, []uint64{seed}, few) })
}

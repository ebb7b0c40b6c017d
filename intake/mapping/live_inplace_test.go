package mapping_test

import (
	"context"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"yewcone/core/audit"
	"yewcone/intake"
	"yewcone/intake/estatefolder"
	"yewcone/intake/intaketest"
	"yewcone/intake/intaketest/bothways"
	"yewcone/intake/livetest"
	"yewcone/take"
	"yewcone/take/protocols"
)

// dated are the columns with dates, and what they may be in a database.
var dated = map[string]bool{"made": true, "set": true, "seen": true, "ends": true, "since": true}

// held is an estate whose accounts lie in a database.
type held struct {
	*made
	columns []string
	rows    [][]string
	types   map[string]string // of columns with dates: instant, day, or text
}

// hold takes the table of an estate apart, gives each row its line as its key, and
// makes dates of some columns; rows that are made alike are so many at most.
func hold(t *testing.T, m *made, most int) *held {
	t.Helper()
	all, err := csv.NewReader(strings.NewReader(m.files["accounts.csv"])).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	h := &held{made: m, columns: append([]string{"id"}, all[0]...), types: map[string]string{}}
	for _, c := range h.columns {
		if dated[c] {
			h.types[c] = m.pick("instant", "instant", "day", "text", "seconds", "millis")
			if as := map[string]string{"seconds": "epoch seconds", "millis": "epoch milliseconds"}[h.types[c]]; as != "" {
				m.files["mapping.yaml"] = strings.ReplaceAll(m.files["mapping.yaml"], fmt.Sprintf("{from: %q", c), fmt.Sprintf("{from: %q, dates: %s", c, as))
			}
		}
	}
	for i, row := range all[1:] {
		row = append([]string{fmt.Sprint(i + 2)}, row...)
		for j, c := range h.columns {
			text := row[j]
			at, err := time.Parse(time.RFC3339, text)
			if day, wrong := time.Parse(time.DateOnly, text); wrong == nil {
				at, err = day, nil
			}
			switch {
			case text == "null":
				row[j] = "NULL"
			case h.types[c] == "" || h.types[c] == "text":
			case err != nil:
				row[j] = "NULL"
			case h.types[c] == "day":
				row[j] = at.Format(time.DateOnly)
			case h.types[c] == "seconds":
				row[j] = m.pick("0", "-1", "", "", "", "", "", "", "")
				if row[j] == "" {
					row[j] = fmt.Sprint(at.Unix())
				}
			case h.types[c] == "millis":
				row[j] = fmt.Sprint(at.UnixMilli() + int64(m.IntN(1000)))
			default:
				row[j] = at.Format(time.RFC3339)
			}
		}
		h.rows = append(h.rows, row)
	}
	if m.IntN(2) == 0 {
		h.alike(most)
	}
	m.files["mapping.yaml"] = strings.ReplaceAll(m.files["mapping.yaml"], "words: {never: never}",
		`words: {never: never, "2026-11-01": unknown, "2026-11-01T00:00:00Z": never}`)
	var table strings.Builder
	w := csv.NewWriter(&table)
	_ = w.Write(h.columns)
	_ = w.WriteAll(h.rows)
	m.files["accounts.csv"] = table.String()
	return h
}

// alike makes more rows, of three sorts but for their names and dates, and asks how
// their dates lie to each other.
func (h *held) alike(most int) {
	few := h.rows[:min(3, len(h.rows))]
	rows := make([][]string, 0, most)
	for i := range 100 + h.IntN(most-100) {
		row := slices.Clone(few[i%len(few)])
		row[0] = fmt.Sprint(i + 2)
		for j, c := range h.columns {
			switch {
			case c == "login":
				row[j] = h.pick("", "", "", "test-", "ö ") + fmt.Sprint("u", i)
			case c == "group" && h.IntN(9) == 0:
				row[j] = h.pick("berth; stores", " stores;", ";stores", "x;stores;", "storesx;")
			case dated[c] && h.IntN(3) == 0:
				row[j] = h.rows[h.IntN(len(h.rows))][j]
			}
		}
		rows = append(rows, row)
	}
	h.rows = rows
	h.files["mapping.yaml"] = strings.Replace(h.files["mapping.yaml"], "unit: days", "unit: "+h.pick("days", "months"), 1)
	var clauses strings.Builder
	for i, c := range []string{"password_set < created", "last_sign_in > password_expires", "never_changed", "used_after_end and enabled",
		"idle > password_age", `"stores" in groups`} {
		if h.IntN(2) == 0 {
			fmt.Fprintf(&clauses, "  - id: j%d\n    forbid: '%s'\n    because: it is asked\n", i, c)
		}
	}
	h.files["rules/made.yaml"] += clauses.String()
}

// lines are the rows as both databases read them.
func (h *held) lines() string {
	var b strings.Builder
	for _, row := range h.rows {
		for j, text := range row {
			if j > 0 {
				b.WriteByte('\t')
			}
			switch {
			case text == "NULL":
				text = `\N`
			case h.types[h.columns[j]] == "instant":
				text = strings.TrimSuffix(strings.Replace(text, "T", " ", 1), "Z")
			}
			b.WriteString(text)
		}
		b.WriteByte('\n')
	}
	return b.String()
}

// create is what makes the table, by the words of a database for a key, a text, an
// instant, a day and a number.
func (h *held) create(name, key, text, instant, day, number string) string {
	var list []string
	for _, c := range h.columns {
		kind := map[string]string{"instant": instant, "day": day, "seconds": number, "millis": number}[h.types[c]]
		switch {
		case c == "id":
			kind = key
		case kind == "":
			kind = text
		}
		list = append(list, fmt.Sprintf("%q %s", c, kind))
	}
	return "CREATE TABLE " + name + " (" + strings.Join(list, ", ") + ")"
}

var accountLine = regexp.MustCompile(`"Part": "id ([0-9]+)",\s*"Line": 0`)
var csvLine = regexp.MustCompile(`"Part": "",\s*"Line": ([0-9]+)`)

// result is what comes out of an estate: all but the notes, with the key of a row in
// the place of its line.
func (h *held) result(t *testing.T, connect func(*estatefolder.System) (intake.Database, error)) (text string, notes string) {
	t.Helper()
	folder := intaketest.Write(t, h.files)
	e, err := estatefolder.Load(folder)
	if err != nil {
		return err.Error(), ""
	}
	e.Connect = connect
	subjects, err := e.Subjects(nil, time.Time{})
	if err != nil {
		return err.Error(), ""
	}
	got, err := audit.Run("made", subjects, audit.Options{Examples: 3, Jobs: 2, MaxRefused: 1 << 20, ValueOf: e.ValueOf(time.Time{})})
	if err != nil {
		return err.Error(), ""
	}
	for i := range got.Systems {
		for _, n := range got.Systems[i].Notes {
			notes += n.Message + "\n"
		}
		got.Systems[i].Notes = nil
	}
	text = strings.ReplaceAll(accountLine.ReplaceAllString(bothways.InLines(t, got), "at $1"), "accounts.sql", "accounts.csv")
	return csvLine.ReplaceAllString(text, "at $1"), notes
}

// engine is a database of a test.
type engine struct {
	name string
	load func(t *testing.T, h *held)
	// source is what estate.yaml says.
	source  string
	connect func(*estatefolder.System) (intake.Database, error)
}

// asked signs in to what estate.yaml names.
func asked(s *estatefolder.System) (intake.Database, error) {
	return protocols.Databases[s.Source.Ask](context.Background(), take.NewJob(s.Source, nil))
}

// same holds estates at random as CSV against the same in an engine, and returns how
// many of them the engine counted itself.
func (x *engine) same(t *testing.T, seeds []uint64, most int) (counted int) {
	for _, seed := range seeds {
		r := rand.New(rand.NewPCG(seed, 7))
		m := &made{Rand: r, files: map[string]string{}}
		m.estate("csv", 20+m.IntN(900))
		if notes := x.compare(t, hold(t, m, most), fmt.Sprint("seed ", seed)); !strings.Contains(notes, "one by one") {
			counted++
		} else if os.Getenv("YEWCONE_SEEDS") != "" {
			t.Logf("seed %d: %s", seed, notes)
		}
	}
	return counted
}

// compare holds an estate as a CSV against the same in the engine, and returns what is
// noted there.
func (x *engine) compare(t *testing.T, h *held, what string) (notes string) {
	t.Helper()
	want, _ := h.result(t, nil)
	x.load(t, h)
	h.files["accounts.sql"] = h.pick("rows", "SELECT * FROM rows;\n", "SELECT * FROM rows -- all of them")
	h.files["mapping.yaml"] = strings.Replace(h.files["mapping.yaml"], "  - file: accounts.csv\n", "  - file: accounts.sql\n    key: id\n", 1)
	from := "accounts.sql"
	if strings.Contains(h.files["mapping.yaml"], "policies.csv") {
		from = "[accounts.sql, policies.csv]"
	}
	h.files["estate.yaml"] = strings.Replace(h.files["estate.yaml"], "{read: mapping, from: accounts.csv,", "{read: sql, from: "+from+",", 1) +
		"    source: " + x.source + "\n"
	got, notes := h.result(t, x.connect)
	if got == want {
		return notes
	}
	a, b := strings.Split(want, "\n"), strings.Split(got, "\n")
	i := 0
	for i < min(len(a), len(b))-1 && a[i] == b[i] {
		i++
	}
	t.Fatalf("%s, %s: line %d differs\n as CSV  %s\n in %s %s\n%v\n%s\n%s\n%s", x.name, what, i, strings.Join(a[max(0, i-40):min(len(a), i+2)], "\n"),
		x.name, strings.Join(b[max(0, i-9):min(len(b), i+2)], "\n"), h.types, notes, h.files["mapping.yaml"], h.files["rules/made.yaml"])
	return ""
}

// TestLiveInPlace: what comes out is the same whether accounts are read from a CSV or
// counted by the database that holds them.
func TestLiveInPlace(t *testing.T) {
	livetest.Need(t, "psql", "setpriv", "clickhouse-server", "clickhouse-client")
	t.Run("PostgreSQL", func(t *testing.T) {
		t.Parallel()
		folder, port := livetest.OpenFolder(t), livetest.FreePort(t)
		livetest.PostgreSQL(t, folder, port, "-c", "listen_addresses=localhost", "-c", "fsync=off")
		psql := fmt.Sprintf("psql -h %s -p %d -U postgres -q -v ON_ERROR_STOP=1 ", folder, port)
		x := engine{name: "PostgreSQL", connect: asked, source: fmt.Sprintf("{ask: postgresql, address: \"postgres://localhost:%d/postgres?sslmode=disable\", user: postgres}", port)}
		x.load = func(t *testing.T, h *held) {
			script := "DROP TABLE IF EXISTS rows;\n" + h.create("rows", "bigint PRIMARY KEY", "text", "timestamptz", "date", "bigint") +
				";\nSET timezone = 'UTC';\nCOPY rows FROM STDIN;\n" + h.lines() + "\\.\n"
			load(t, folder, psql+"-f rows.in", script)
		}
		told(t, &x, 40)
	})
	t.Run("ClickHouse", func(t *testing.T) {
		t.Parallel()
		ports := livetest.ClickHouse(t, 2)
		folder := t.TempDir()
		x := engine{name: "ClickHouse", connect: asked, source: fmt.Sprintf("{ask: clickhouse, address: \"clickhouse://localhost:%d/default\", user: default}", ports[0])}
		x.load = func(t *testing.T, h *held) {
			create := strings.ReplaceAll(h.create("part", "Int64", "Nullable(String)", "Nullable(DateTime)", "Nullable(Date)", "Nullable(Int64)"), `"`, "`") + " ENGINE = MergeTree ORDER BY id"
			var script strings.Builder
			for _, port := range ports {
				fmt.Fprintf(&script, "clickhouse-client --port %d -n -q 'DROP TABLE IF EXISTS part; DROP TABLE IF EXISTS rows; %s; CREATE TABLE rows AS part ENGINE = "+
					"Distributed(two, default, part, id %% 2)'\n", port, create)
			}
			for i, port := range ports {
				fmt.Fprintf(&script, "awk 'NR %% 2 == %d' rows.in | clickhouse-client --port %d -q 'INSERT INTO part FORMAT TabSeparated'\n", i, port)
			}
			load(t, folder, script.String(), h.lines())
		}
		told(t, &x, 15)
	})
}

func load(t *testing.T, folder, script, lines string) {
	t.Helper()
	if err := os.WriteFile(filepath.Join(folder, "rows.in"), []byte(lines), 0o644); err != nil {
		t.Fatal(err)
	}
	livetest.Shell(t, folder, script)
}

// told runs the estates and tells how many were counted by the database itself.
func told(t *testing.T, x *engine, some uint64) {
	seeds := livetest.Seeds(some)
	counted := x.same(t, seeds, 3000)
	t.Logf("%s: %d of %d estates counted where they lie, the others read one by one", x.name, counted, len(seeds))
	if counted < len(seeds)/3 {
		t.Errorf("only %d of %d estates were counted where they lie", counted, len(seeds))
	}
}

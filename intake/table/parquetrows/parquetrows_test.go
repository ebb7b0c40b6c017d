package parquetrows

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/encoding"

	"yewcone/core/facts"
	"yewcone/intake/table"
)

type address struct {
	City string `parquet:"city"`
}

type account struct {
	Login   string     `parquet:"login"`
	Name    *string    `parquet:"name,optional"`
	Enabled bool       `parquet:"enabled"`
	Set     time.Time  `parquet:"set,timestamp(millisecond)"`
	Born    int32      `parquet:"born,date"`
	Groups  []string   `parquet:"groups,list"`
	Marks   []string   `parquet:"marks"`
	Fails   int64      `parquet:"fails"`
	Score   int64      `parquet:"score,decimal(2:10)"`
	Weight  float64    `parquet:"weight"`
	Home    address    `parquet:"home"`
	ID      [16]byte   `parquet:"id,uuid"`
	Kind    string     `parquet:"kind,dict"`
	Seen    *time.Time `parquet:"seen,optional,timestamp(microsecond)"`
	Role    *string    `parquet:"role,optional,dict"`
	Power   *bool      `parquet:"power,optional"`
	Day     int32      `parquet:"day,date,dict"`
	Count   uint32     `parquet:"count"`
	Lots    []int64    `parquet:"lots,list"`
	Some    *int32     `parquet:"some,optional"`
}

// written makes a file of so many accounts in row groups of a thousand, and what its
// rows are.
func written(t *testing.T, count int) (path string, rows [][]string) {
	t.Helper()
	r := rand.New(rand.NewPCG(3, 3))
	var list []account
	for i := range count {
		a := account{Login: fmt.Sprintf("user%05d", i), Enabled: r.IntN(2) == 0, Set: time.Unix(int64(1e9+i*3600), 0).UTC(), Born: int32(i % 20000),
			Fails: int64(r.IntN(9)), Score: int64(r.IntN(9999) - 5000), Weight: 1.5, Home: address{"Süd"}, Kind: []string{"person", "service"}[r.IntN(2)]}
		a.ID[15] = byte(i)
		row := []string{a.Login, "null", fmt.Sprint(a.Enabled), a.Set.Format(time.RFC3339), time.Unix(int64(a.Born)*86400, 0).UTC().Format(time.DateOnly), "", "",
			fmt.Sprint(a.Fails), "", "1.5", "Süd", fmt.Sprintf("00000000-0000-0000-0000-0000000000%02x", a.ID[15]), a.Kind, "null",
			"null", "null", time.Unix(int64(i%7)*86400, 0).UTC().Format(time.DateOnly)}
		a.Day = int32(i % 7)
		a.Count = math.MaxUint32 - uint32(i)
		lots, some := "", "null"
		for range r.IntN(4) {
			a.Lots = append(a.Lots, int64(r.Uint64())>>r.IntN(64))
			lots += fmt.Sprintf("\n%d", a.Lots[len(a.Lots)-1])
		}
		if r.IntN(3) > 0 {
			n := int32(r.Uint32())
			a.Some, some = &n, fmt.Sprint(n)
		}
		row = append(row, fmt.Sprint(a.Count), strings.TrimPrefix(lots, "\n"), some)
		if role, power := []string{"master", "mate", "Lotsin Süd"}[r.IntN(3)], r.IntN(2) == 0; r.IntN(4) > 0 {
			a.Role, a.Power, row[14], row[15] = &role, &power, role, fmt.Sprint(power)
		}
		if r.IntN(3) > 0 {
			name := "Ada " + strings.Repeat("x", r.IntN(4))
			a.Name, row[1] = &name, name
		}
		for range r.IntN(4) {
			a.Groups = append(a.Groups, fmt.Sprintf("g%d", r.IntN(9)))
		}
		for range r.IntN(3) {
			a.Marks = append(a.Marks, "m")
		}
		row[5], row[6] = strings.Join(a.Groups, "\n"), strings.Join(a.Marks, "\n")
		sign, n := "", a.Score
		if n < 0 {
			sign, n = "-", -n
		}
		row[8] = sign + strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%d.%02d", n/100, n%100), "0"), ".")
		if n == 0 {
			row[8] = "0"
		}
		if r.IntN(2) == 0 {
			at := time.Unix(int64(1.5e9+i), 0).UTC()
			a.Seen, row[13] = &at, at.Format(time.RFC3339)
		}
		list, rows = append(list, a), append(rows, row)
	}
	path = filepath.Join(t.TempDir(), "x.parquet")
	var b bytes.Buffer
	w := parquet.NewGenericWriter[account](&b, parquet.MaxRowsPerRowGroup(1000), parquet.Compression(&parquet.Zstd), parquet.PageBufferSize(4000))
	if _, err := w.Write(list); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path, b.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	return path, rows
}

var columns = []string{"login", "name", "enabled", "set", "born", "groups", "marks", "fails", "score", "weight", "home.city", "id",
	"kind", "seen", "role", "power", "day", "count", "lots", "some"}

// readAll reads the rows of the columns that are asked for, one by one or together.
// ways of reading rows.
const (
	oneByOne = iota
	together
	apart // of which values are kept apart where they can be
	ways
)

func readAll(t *testing.T, path string, asked []string, way int) (rows [][]string, notes *facts.Notes, err error) {
	t.Helper()
	notes = &facts.Notes{}
	f, err := Form.Open(&table.Source{Name: "x.parquet", File: path, Notes: notes})
	if err != nil {
		return nil, notes, err
	}
	defer f.Close()
	var at []int
	for _, name := range asked {
		i, err := f.Column(name)
		if err != nil {
			return nil, notes, err
		}
		at = append(at, i)
	}
	last := 0
	d := f.(table.Divisible)
	var part table.Rows
	b := table.NewBatch(d.Width())
	if way == apart {
		b.TakeApart()
	}
	given := 0
	next := func() ([]string, table.Place) {
		if way == oneByOne {
			return f.Next()
		}
		for given == b.Count {
			if given = 0; part != nil {
				for i := range b.Texts {
					b.Texts[i] = "of rows before"
				}
				if b.Fill(part); b.Count > 0 {
					b.Write(len(rows) / 64 % d.Width())
					break
				}
				d.Absorb(part)
				part = nil
			}
			piece, ok := d.NextPiece(notes)
			if b.Count = 0; !ok {
				d.Finish(notes)
				return nil, table.Place{}
			}
			part = d.Part(piece, notes)
		}
		given++
		return b.Row(given - 1), b.Places[given-1]
	}
	for {
		row, place := next()
		if row == nil {
			return rows, notes, nil
		}
		if place.Line <= last || place.Line != len(rows)+1 && !notes.Partial() {
			t.Fatalf("row %d stands at %d", len(rows)+1, place.Line)
		}
		last = place.Line
		var picked []string
		for _, i := range at {
			picked = append(picked, strings.Clone(row[i])) // good until the next rows
		}
		rows = append(rows, picked)
	}
}

// TestRows: values of all kinds, lists, absent ones, over several row groups; and the
// same of some columns alone.
func TestRows(t *testing.T) {
	path, want := written(t, 3500)
	for way := range ways {
		got, notes, err := readAll(t, path, columns, way)
		if err != nil || len(got) != len(want) || len(notes.List()) > 0 {
			t.Fatalf("%d rows of %d, %v, %v", len(got), len(want), err, notes.List())
		}
		for i := range want {
			if !slices.Equal(got[i], want[i]) {
				t.Fatalf("row %d: %q, want %q", i, got[i], want[i])
			}
		}
	}
	some, _, err := readAll(t, path, []string{"groups", "login"}, oneByOne)
	if err != nil || len(some) != len(want) || some[7][0] != want[7][5] || some[7][1] != want[7][0] {
		t.Errorf("%v %q", err, some[7])
	}
	if _, _, err := readAll(t, path, []string{"logni"}, together); err == nil || !strings.Contains(err.Error(), `did you mean "login"`) {
		t.Error(err)
	}
}

// TestMoments: dates and moments are written as the library of the language writes them.
func TestMoments(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for i := range 200_000 {
		seconds := int64(i-100_000) * 86400 / 2 // from 1833 to 2106
		if i%4 == 0 {
			seconds = r.Int64N(4e11) - 2e11
		}
		at := time.Unix(seconds, 0).UTC()
		if got, want := string(appendMoment(nil, seconds, true)), at.Format(time.RFC3339); got != want {
			t.Fatalf("%d seconds: %s, want %s", seconds, got, want)
		}
		if got, want := string(appendMoment(nil, seconds, false)), at.Format("2006-01-02T15:04:05"); got != want {
			t.Fatalf("%d seconds: %s, want %s", seconds, got, want)
		}
	}
	for _, edge := range []string{"0001-01-01", "0000-12-31", "9999-12-31", "-0001-03-01", "1900-02-28", "2000-02-29", "2100-03-01"} {
		at, err := time.Parse(time.DateOnly, strings.TrimPrefix(edge, "-"))
		if edge[0] == '-' {
			at = at.AddDate(-2, 0, 0)
		}
		days := at.Unix() / 86400
		if got := string(appendDate(nil, days)); err != nil || got != at.Format(time.DateOnly) {
			t.Errorf("%s: %s, %v", edge, got, err)
		}
	}
	if got := string(appendDate(nil, 2932897)); got != "10000-01-01" {
		t.Error(got)
	}
}

// TestDamagedFile: a file that was cut or changed is refused, or says that it is not
// whole; no row is missing without a word, and nothing else happens.
func TestDamagedFile(t *testing.T) {
	path, want := written(t, 1200)
	whole, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(5, 5))
	changed, told := 0, 0
	for i := range 600 {
		data := slices.Clone(whole)
		switch i % 3 {
		case 0:
			data = data[:r.IntN(len(data))]
		case 1:
			data[r.IntN(len(data))] ^= 1 << r.IntN(8)
		default:
			at := len(data) - 1 - r.IntN(2000) // of the description at the end
			data[max(0, at)] ^= byte(1 + r.IntN(255))
		}
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
		got, notes, err := readAll(t, path, columns, i/3%ways)
		switch {
		case err != nil || notes.Partial():
			told++
		case len(got) != len(want):
			t.Errorf("change %d: %d rows of %d without a word", i, len(got), len(want))
		default:
			changed++
		}
	}
	if told < 200 {
		t.Errorf("told of %d; %d changes left all rows", told, changed)
	}
}

// lostPage is a page with a place that is not in its dictionary.
type lostPage struct {
	parquet.Page
	of     parquet.Type
	listed parquet.Dictionary
}

func (p *lostPage) NumValues() int64               { return 2 }
func (p *lostPage) DefinitionLevels() []byte       { return nil }
func (p *lostPage) RepetitionLevels() []byte       { return nil }
func (p *lostPage) Type() parquet.Type             { return p.of }
func (p *lostPage) Dictionary() parquet.Dictionary { return p.listed }
func (p *lostPage) Data() encoding.Values          { return encoding.Int32Values([]int32{0, 1}) }

// TestLostInDictionary: a place that is not in the dictionary is told as damage, however
// rows are read.
func TestLostInDictionary(t *testing.T) {
	schema := parquet.SchemaOf(account{})
	var b bytes.Buffer
	if err := parquet.Write(&b, []account{{}}); err != nil {
		t.Fatal(err)
	}
	file, err := parquet.OpenFile(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		t.Fatal(err)
	}
	kind, _ := schema.Lookup("kind")
	listed := kind.Node.Type().NewDictionary(0, 0, encoding.ByteArrayValues(nil, []uint32{0}))
	listed.Insert(make([]int32, 1), []parquet.Value{parquet.ValueOf("person")})
	c := newColumn(file.Root().Column("kind"), file.Root())
	c.quick.begin(c, &lostPage{of: kind.Node.Type(), listed: listed})
	var v table.Values
	if apart, err := c.apart(&v, 2); apart || err != nil || v.Codes != nil {
		t.Errorf("it is kept apart: %v, %v, %v", apart, err, v.Codes)
	}
	if n, err := c.fill(make([]string, 2), 1, 2); err == nil {
		t.Errorf("%d rows without a word", n)
	}
}

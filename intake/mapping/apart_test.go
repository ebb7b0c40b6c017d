package mapping_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/parquet-go/parquet-go"

	"yewcone/core/audit"
	"yewcone/intake/intaketest"
	"yewcone/intake/intaketest/bothways"
)

// keptApart is an account whose columns Parquet keeps otherwise than as texts.
type keptApart struct {
	Login  string     `parquet:"login"`
	Active *string    `parquet:"active,optional,dict"`
	Locked *bool      `parquet:"locked,optional"`
	Name   *string    `parquet:"name,optional,dict"`
	Mail   *string    `parquet:"mail,optional,dict"`
	Ends   *time.Time `parquet:"ends,optional,timestamp(millisecond)"`
	Until  *time.Time `parquet:"until,optional,timestamp(microsecond)"`
	Set    *time.Time `parquet:"set,optional,timestamp(millisecond)"`
}

// TestKeptApart: what Parquet keeps in dictionaries, as bits and as moments says of each
// account what its texts say: also nulls, words that are none of yes and no, names of which
// the beginning is asked, and moments that no date is.
func TestKeptApart(t *testing.T) {
	at := func(day int) *time.Time { // of November 2026; from 99 on none
		switch {
		case day >= 99:
			return nil
		case day == 98:
			return new(time.Date(10000, 1, 1, 0, 0, 0, 0, time.UTC))
		}
		return new(time.Date(2026, 11, day, 6, 30, 0, 0, time.UTC))
	}
	word := func(n int, of ...string) *string {
		if n %= len(of) + 1; n == len(of) {
			return nil
		}
		return &of[n]
	}
	var list []keptApart
	for n := range 900 {
		a := keptApart{Login: fmt.Sprint("u", n), Active: word(n, "yes", "no", " yes", "", "no"), Name: word(n/3, "Nuala Reed", "null", "", "Ann Rill"),
			Mail: word(n/2, "null", "a@marrowby.example"), Ends: at([]int{1, 19, 20, 21, 28, 99}[n%6]), Until: at([]int{2, 19, 25, 99}[n/4%4]),
			Set: at([]int{1, 3, 15, 99}[n/2%4])}
		if n%3 > 0 {
			a.Locked = new(n%3 == 1)
		}
		switch n % 250 {
		case 77:
			a.Active = new("perhaps")
		case 111:
			a.Set = at(98)
		case 5:
			a.Ends = at(98)
		}
		list = append(list, a)
	}
	var b bytes.Buffer
	w := parquet.NewGenericWriter[keptApart](&b, parquet.MaxRowsPerRowGroup(300), parquet.PageBufferSize(3000))
	if _, err := w.Write(list); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	for _, dates := range []string{"iso 8601", "dd/mm/yyyy"} {
		folder := intaketest.Write(t, map[string]string{
			"accounts.parquet": b.String(),
			"rules/made.yaml": "rules: made\ntitle: Made\nclauses:\n  - {id: nu, forbid: display_name startsWith \"nu\", because: asked}\n" +
				"  - {id: on, forbid: enabled, because: asked}\n  - {id: off, forbid: not enabled, because: asked}\n  - {id: locked, forbid: locked, because: asked}\n" +
				"  - {id: old, forbid: password_age > days(10), because: asked}\n  - {id: ends, forbid: account_ends < date(\"2026-11-22\"), because: asked}\n",
			"mapping.yaml": "mapping: made\ndates: " + dates + "\nyes: [\"yes\", \"true\"]\nno: [\"no\", \"false\"]\naccounts:\n  - file: accounts.parquet\n    fixed: {password_usable: yes}\n" +
				"    take:\n      login: login\n      enabled: {from: active, empty: no}\n      locked: locked\n      display_name: name\n      email: mail\n" +
				"      account_ends: {from: ends, null: never}\n      locked_until: until\n      password_set: {from: set, null: never}\n",
			"estate.yaml": "estate: Made\nas_of: 2026-11-20\nsystems:\n  one:\n    export: {read: mapping, from: accounts.parquet, mapping: mapping.yaml}\n    rules: made\n",
		})
		want, ok := bothways.Judge(t, folder, audit.Options{Jobs: 1, Singly: true})
		for _, jobs := range []int{1, 3} {
			got, _ := bothways.Judge(t, folder, audit.Options{Jobs: jobs})
			if a, b, differ := bothways.Differ(want, got); differ || !ok || !strings.Contains(want, "is not understood") {
				t.Fatalf("dates %s, could be read: %v, line differs\n each on its own %s\n the quick way   %s", dates, ok, a, b)
			}
		}
	}
}

package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"yewcone/core/record"
	"yewcone/core/rules"
)

// stores are what the tests run on: a file, and the PostgreSQL that the
// environment names.
func stores(t *testing.T) map[string]func() *Store {
	open := func(where, password string) func() *Store {
		return func() *Store {
			t.Helper()
			s, err := Open(where, password)
			if err != nil {
				t.Fatal(err)
			}
			t.Cleanup(func() { s.Close() })
			return s
		}
	}
	list := map[string]func() *Store{"sqlite": open(filepath.Join(t.TempDir(), "a b?c.db"), "")}
	if url := os.Getenv("YEWCONE_TEST_POSTGRES"); url != "" {
		list["postgres"] = func() *Store {
			s := open(url, os.Getenv("YEWCONE_TEST_POSTGRES_PASSWORD"))()
			return s
		}
		s := list["postgres"]()
		for _, table := range []string{"results", "sums", "shared", "parts"} {
			if _, err := s.db.Exec("DELETE FROM " + table); err != nil {
				t.Fatal(err)
			}
		}
	}
	return list
}

// sample is a record with accounts, of which the n-th has another password each
// time.
func sample(n int) *record.Record {
	r := &record.Record{Version: record.Version, Estate: "e", AsOf: time.Date(2026, 1, 1, 6, 0, 0, 0, time.UTC).AddDate(0, 0, n)}
	s := record.System{Name: "s", AsOf: r.AsOf, Listed: true, Accounts: 2945, Outcomes: map[string]string{"r/a": "broken"}}
	for i := range 2945 {
		a := record.Account{Login: fmt.Sprintf("account%04d", i), Enabled: record.Yes, Privileged: record.No, PasswordSet: "2026-01-01"}
		if i%150 == n%150 {
			a.PasswordSet = r.AsOf.Format(time.DateOnly)
		}
		s.People = append(s.People, a)
	}
	for i := range 250 {
		r.Findings = append(r.Findings, record.Finding{System: "s", Rule: fmt.Sprintf("r/c%d", i), Fingerprint: fmt.Sprintf("%012x", i*7919), Severity: "high",
			Sentence: fmt.Sprintf("passwords of %d characters are accepted", i), Accounts: i + n%3})
	}
	for i := range 300 {
		s.Values = append(s.Values, record.Value{Policy: fmt.Sprintf("p%d", i/20), Setting: "min_length", Value: fmt.Sprint(i), Place: fmt.Sprintf("exports/x.csv:%d", i)})
	}
	r.Systems = []record.System{s}
	return r
}

// whole is a result with its accounts at hand.
func whole(s *Store, id int64) (*record.Record, error) {
	r, err := s.Get(context.Background(), id)
	if err != nil {
		return nil, err
	}
	for i := range r.Systems {
		x := &r.Systems[i]
		if x.People, err = x.AllPeople(); err != nil {
			return nil, err
		}
		x.Read = nil
	}
	return r, nil
}

// TestKeep: what is kept comes back whole; the list is by the exports' moments,
// in whatever order they were kept; what is deleted is gone.
func TestKeep(t *testing.T) {
	for name, open := range stores(t) {
		t.Run(name, func(t *testing.T) {
			s, ctx := open(), context.Background()
			ids := map[int]int64{}
			for _, n := range []int{3, 0, 2, 1} {
				id, err := s.Keep(ctx, sample(n), time.Now())
				if err != nil {
					t.Fatal(err)
				}
				ids[n] = id
			}
			got, err := whole(s, ids[2])
			if err != nil || !reflect.DeepEqual(got, sample(2)) {
				t.Errorf("%v: it comes back other than it was kept", err)
			}
			list, err := s.List(ctx)
			if err != nil || len(list) != 4 || list[0].ID != ids[0] || list[3].ID != ids[3] || list[0].Counts[4] != 250 {
				t.Errorf("%v %+v", err, list)
			}
			gone, err := s.Get(ctx, ids[0])
			if err != nil {
				t.Fatal(err)
			}
			if n, err := s.Delete(ctx, sample(2).AsOf); n != 2 || err != nil {
				t.Errorf("%d deleted, %v", n, err)
			}
			if _, err := gone.Systems[0].AllPeople(); !errors.Is(err, ErrNone) {
				t.Errorf("accounts of what was deleted: %v", err)
			}
			if _, err := s.Get(ctx, ids[0]); !errors.Is(err, ErrNone) {
				t.Error(err)
			}
			if got, err := whole(s, ids[3]); err != nil || !reflect.DeepEqual(got, sample(3)) {
				t.Errorf("what was not deleted is not whole: %v", err)
			}
			again := open() // a second time the tables are there
			if list, err := again.List(ctx); err != nil || len(list) != 2 {
				t.Errorf("%v %+v", err, list)
			}
		})
	}
}

// TestManyKeep: ten keep at once, and nothing is lost.
func TestManyKeep(t *testing.T) {
	for name, open := range stores(t) {
		t.Run(name, func(t *testing.T) {
			ctx := context.Background()
			var all sync.WaitGroup
			failed := make(chan error, 100)
			for w := range 10 {
				s := open()
				all.Add(1)
				go func() {
					defer all.Done()
					for n := range 5 {
						if _, err := s.Keep(ctx, sample(w*5+n), time.Now()); err != nil {
							failed <- err
						}
					}
				}()
			}
			all.Wait()
			close(failed)
			for err := range failed {
				t.Error(err)
			}
			list, err := open().List(ctx)
			if err != nil || len(list) != 50 {
				t.Fatalf("%d of 50, %v", len(list), err)
			}
			if !slices.IsSortedFunc(list, func(a, b Kept) int { return strings.Compare(a.AsOf, b.AsOf) }) {
				t.Error("they are not in the order of their exports")
			}
		})
	}
}

// TestFile: the file is its owner's, a newer one is left alone, and hundreds of
// results of three thousand accounts stay small.
func TestFile(t *testing.T) {
	path := filepath.Join(t.TempDir(), "h.db")
	s, err := Open(path, "")
	if err != nil {
		t.Fatal(err)
	}
	const results = 200
	var took time.Duration
	for n := range results {
		r := sample(n)
		began := time.Now()
		if _, err := s.Keep(context.Background(), r, time.Now()); err != nil {
			t.Fatal(err)
		}
		took += time.Since(began)
	}
	began := time.Now()
	if sums, err := s.Sums(context.Background(), nil); err != nil || len(sums) != results {
		t.Errorf("%d sums, %v", len(sums), err)
	}
	t.Logf("kept in %v, and read for a trend in %v", took, time.Since(began))
	for _, name := range []string{path, path + "-wal"} {
		if info, err := os.Stat(name); err == nil && info.Mode().Perm() != 0o600 {
			t.Errorf("%s has the mode %v", filepath.Base(name), info.Mode())
		}
	}
	if _, err := s.db.Exec("INSERT INTO yewcone_schema (version) VALUES (99)"); err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	info, err := os.Stat(path)
	if err != nil || info.Size() > results*40<<10 {
		t.Errorf("%d results take %d bytes, %v", results, info.Size(), err)
	}
	t.Logf("%d bytes a result", info.Size()/results)
	if _, err := Open(path, ""); err == nil || !strings.Contains(err.Error(), "newer program") {
		t.Errorf("a newer one is opened: %v", err)
	}
}

// TestNoPasswordInErrors: what cannot be opened shows no password.
func TestNoPasswordInErrors(t *testing.T) {
	for _, where := range []string{"postgres://keeper@127.0.0.1:1/none?connect_timeout=1", "postgres://keeper@[::1/none"} {
		_, err := Open(where, "salt & kelp")
		if err == nil || strings.Contains(err.Error(), "kelp") {
			t.Errorf("%s: %v", where, err)
		}
	}
}

// TestOldStore: what the first program kept is there after its tables were
// changed.
func TestOldStore(t *testing.T) {
	path := filepath.Join(t.TempDir(), "h.db")
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	do := func(query string, args ...any) {
		t.Helper()
		if _, err := db.Exec(query, args...); err != nil {
			t.Fatal(err)
		}
	}
	do("CREATE TABLE yewcone_schema (version INTEGER NOT NULL)")
	do("INSERT INTO yewcone_schema (version) VALUES (1)")
	do(strings.NewReplacer("%[1]s", "INTEGER PRIMARY KEY AUTOINCREMENT", "%[2]s", "BLOB").Replace(migrations[0]))
	for n := range 2 {
		r := sample(n)
		document, err := packed(r)
		if err != nil {
			t.Fatal(err)
		}
		do("INSERT INTO results (kept_at, as_of, estate, tool, document) VALUES (?, ?, ?, ?, ?)", stamp(r.AsOf), stamp(r.AsOf), r.Estate, r.Tool, document)
		do("INSERT INTO sums (result, system, as_of, partial, accounts, privileged, disabled, clauses, met, critical, high, medium, low, info, accepted) "+
			"VALUES (?, 's', ?, 0, 2945, 0, 0, 0, 0, 0, 250, 0, 0, 0, 0)", n+1, stamp(r.AsOf))
		for piece, half := range [][]record.Account{r.Systems[0].People[:1000], r.Systems[0].People[1000:]} {
			data, err := packed(half)
			if err != nil {
				t.Fatal(err)
			}
			do("INSERT INTO pieces (hash, data) VALUES (?, ?) ON CONFLICT (hash) DO NOTHING", digest(data), data)
			do("INSERT INTO listed (result, system, piece, hash) VALUES (?, 's', ?, ?)", n+1, piece, digest(data))
		}
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	s, err := Open(path, "")
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for n := range 2 {
		if got, err := whole(s, int64(n+1)); err != nil || !reflect.DeepEqual(got, sample(n)) {
			t.Errorf("%v: result %d comes back other than it was kept", err, n+1)
		}
	}
	if sums, err := s.Sums(context.Background(), nil); err != nil || len(sums) != 2 || sums[0].Counts[rules.High] != 250 || sums[0].Measures.Accounts != 0 {
		t.Errorf("%v %+v", err, sums)
	}
	if id, err := s.Keep(context.Background(), sample(3), time.Now()); err != nil || id != 3 {
		t.Errorf("%d %v", id, err)
	}
}

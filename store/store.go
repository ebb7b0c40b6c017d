// Package store keeps records of checks: in a file of SQLite, or in PostgreSQL
// for a team. A record is kept whole or not at all, also where the program or
// the machine ends in the middle, and where several keep at once.
package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"maps"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/klauspost/compress/zstd"

	"yewcone/core/record"
	"yewcone/core/rules"
	"yewcone/core/trend"

	_ "github.com/jackc/pgx/v5/stdlib" // PostgreSQL
	_ "modernc.org/sqlite"             // SQLite
)

// A Store keeps records.
type Store struct {
	db       *sql.DB
	postgres bool
}

// migrations make the tables, each from what the one before left. What they
// say once was published stays as it is.
var migrations = []string{`
CREATE TABLE results (id %[1]s, kept_at TEXT NOT NULL, as_of TEXT NOT NULL, estate TEXT NOT NULL, tool TEXT NOT NULL, document %[2]s NOT NULL);
CREATE INDEX results_as_of ON results (as_of, id);
CREATE TABLE sums (result BIGINT NOT NULL, system TEXT NOT NULL, as_of TEXT NOT NULL, partial INTEGER NOT NULL, accounts BIGINT NOT NULL,
 privileged BIGINT NOT NULL, disabled BIGINT NOT NULL, clauses INTEGER NOT NULL, met INTEGER NOT NULL, critical INTEGER NOT NULL,
 high INTEGER NOT NULL, medium INTEGER NOT NULL, low INTEGER NOT NULL, info INTEGER NOT NULL, accepted INTEGER NOT NULL, PRIMARY KEY (result, system));
CREATE TABLE pieces (hash TEXT PRIMARY KEY, data %[2]s NOT NULL);
CREATE TABLE listed (result BIGINT NOT NULL, system TEXT NOT NULL, piece INTEGER NOT NULL, hash TEXT NOT NULL, PRIMARY KEY (result, system, piece));
CREATE INDEX listed_hash ON listed (hash);
`, `
ALTER TABLE sums ADD COLUMN more TEXT NOT NULL DEFAULT '';
`, `
CREATE TABLE shared (id %[1]s, hash TEXT NOT NULL UNIQUE, data %[2]s NOT NULL);
INSERT INTO shared (hash, data) SELECT hash, data FROM pieces;
CREATE TABLE parts (result BIGINT NOT NULL, system TEXT NOT NULL, piece INTEGER NOT NULL, shared BIGINT NOT NULL, PRIMARY KEY (result, system, piece))%[3]s;
INSERT INTO parts (result, system, piece, shared) SELECT l.result, l.system, l.piece, s.id FROM listed l JOIN shared s ON s.hash = l.hash;
CREATE INDEX parts_shared ON parts (shared);
DROP TABLE listed;
DROP TABLE pieces;
`}

// Open opens a store, and makes or migrates its tables. Where is the path of a
// file, or a URL that begins with postgres://; its password is given apart.
func Open(where, password string) (*Store, error) {
	s := &Store{}
	if strings.HasPrefix(where, "postgres://") || strings.HasPrefix(where, "postgresql://") {
		u, err := url.Parse(where)
		if err != nil {
			return nil, errors.New("the URL of the history is none")
		}
		if password != "" {
			u.User = url.UserPassword(u.User.Username(), password)
		}
		s.postgres = true
		if s.db, err = sql.Open("pgx", u.String()); err != nil {
			return nil, errors.New("the history cannot be opened: " + withoutPassword(err, password))
		}
	} else {
		// The file is the owner's before anything is in it.
		f, err := os.OpenFile(where, os.O_CREATE|os.O_RDWR, 0o600)
		if err != nil {
			return nil, fmt.Errorf("the history cannot be opened: %w", err)
		}
		if err := f.Close(); err != nil {
			return nil, err
		}
		u := url.URL{Scheme: "file", Opaque: (&url.URL{Path: where}).EscapedPath(), RawQuery: "_txlock=immediate&_pragma=busy_timeout(30000)" +
			"&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)"}
		if s.db, err = sql.Open("sqlite", u.String()); err != nil {
			return nil, fmt.Errorf("the history cannot be opened: %w", err)
		}
	}
	if err := s.migrate(context.Background()); err != nil {
		s.db.Close()
		return nil, errors.New("the history cannot be opened: " + withoutPassword(err, password))
	}
	return s, nil
}

// withoutPassword is an error that shows no password.
func withoutPassword(err error, password string) string {
	text := err.Error()
	if password != "" {
		text = strings.ReplaceAll(strings.ReplaceAll(text, password, "…"), url.QueryEscape(password), "…")
	}
	return text
}

// Close closes the store.
func (s *Store) Close() error { return s.db.Close() }

// bind writes the marks of parameters as the database does.
func (s *Store) bind(query string) string {
	if !s.postgres {
		return query
	}
	var b strings.Builder
	n := 0
	for _, r := range query {
		if r == '?' {
			n++
			b.WriteString("$" + strconv.Itoa(n))
		} else {
			b.WriteRune(r)
		}
	}
	return b.String()
}

// inTx runs a transaction.
func (s *Store) inTx(ctx context.Context, do func(*sql.Tx) error) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	if err := do(tx); err != nil {
		_ = tx.Rollback()
		return err
	}
	return tx.Commit()
}

func (s *Store) migrate(ctx context.Context) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if s.postgres { // one at a time
			if _, err := tx.ExecContext(ctx, "SELECT pg_advisory_xact_lock(5902871)"); err != nil {
				return err
			}
		}
		if _, err := tx.ExecContext(ctx, "CREATE TABLE IF NOT EXISTS yewcone_schema (version INTEGER NOT NULL)"); err != nil {
			return err
		}
		version := 0
		if err := tx.QueryRowContext(ctx, "SELECT COALESCE(MAX(version), 0) FROM yewcone_schema").Scan(&version); err != nil {
			return err
		}
		if version > len(migrations) {
			return fmt.Errorf("it was made by a newer program (schema %d; this one knows %d)", version, len(migrations))
		}
		id, blob, small := "INTEGER PRIMARY KEY AUTOINCREMENT", "BLOB", " WITHOUT ROWID"
		if s.postgres {
			id, blob, small = "BIGINT GENERATED ALWAYS AS IDENTITY PRIMARY KEY", "BYTEA", ""
		}
		for n := version; n < len(migrations); n++ {
			for statement := range strings.SplitSeq(strings.NewReplacer("%[1]s", id, "%[2]s", blob, "%[3]s", small).Replace(migrations[n]), ";\n") {
				if strings.TrimSpace(statement) == "" {
					continue
				}
				if _, err := tx.ExecContext(ctx, statement); err != nil {
					return err
				}
			}
			if _, err := tx.ExecContext(ctx, s.bind("INSERT INTO yewcone_schema (version) VALUES (?)"), n+1); err != nil {
				return err
			}
		}
		return nil
	})
}

// stamp writes a moment so that texts sort as moments do.
func stamp(t time.Time) string { return t.UTC().Format("2006-01-02T15:04:05Z") }

// Keep keeps a record, and returns its number.
func (s *Store) Keep(ctx context.Context, r *record.Record, now time.Time) (id int64, err error) {
	document, err := packed(r)
	if err != nil {
		return 0, err
	}
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		if err := tx.QueryRowContext(ctx, s.bind("INSERT INTO results (kept_at, as_of, estate, tool, document) VALUES (?, ?, ?, ?, ?) RETURNING id"),
			stamp(now), stamp(r.AsOf), r.Estate, r.Tool, document).Scan(&id); err != nil {
			return err
		}
		for i := range r.Systems {
			x := &r.Systems[i]
			counts, accepted := countsOf(r, x.Name)
			more, err := json.Marshal(moreOf(x))
			if err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, s.bind("INSERT INTO sums (result, system, as_of, partial, accounts, privileged, disabled, clauses, met, "+
				"critical, high, medium, low, info, accepted, more) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"), id, x.Name, stamp(x.AsOf),
				number(x.Partial), x.Accounts, x.Privileged, x.Disabled, x.Clauses, x.Met, counts[rules.Critical], counts[rules.High],
				counts[rules.Medium], counts[rules.Low], counts[rules.Info], accepted, string(more)); err != nil {
				return err
			}
			if err := s.keepAccounts(ctx, tx, id, x); err != nil {
				return err
			}
		}
		return nil
	})
	return id, err
}

// moreOf is what sums have beside their counts.
func moreOf(x *record.System) trend.More {
	more := trend.More{Measures: x.Measures, Mapping: short(x.Sources.Mapping)}
	h := sha256.New()
	for _, name := range slices.Sorted(maps.Keys(x.Sources.Rules)) {
		fmt.Fprintf(h, "%s %s\n", x.Sources.Rules[name], name)
	}
	if len(x.Sources.Rules) > 0 {
		more.Rules = short(hex.EncodeToString(h.Sum(nil)))
	}
	return more
}

// short is a digest as far as it takes to tell it from others of its kind.
func short(digest string) string { return digest[:min(len(digest), 24)] }

func number(yes bool) int {
	if yes {
		return 1
	}
	return 0
}

func countsOf(r *record.Record, system string) (counts map[rules.Severity]int, accepted int) {
	counts = map[rules.Severity]int{}
	for i := range r.Findings {
		switch f := &r.Findings[i]; {
		case f.System != system:
		case f.Accepted != "":
			accepted++
		default:
			counts[f.Rank()]++
		}
	}
	return counts, accepted
}

// inPiece is about how many accounts a piece holds. Accounts are put into
// pieces by their names, so that a few that change touch a few pieces, and the
// others are kept once for all results.
const inPiece = 64

func (s *Store) keepAccounts(ctx context.Context, tx *sql.Tx, id int64, x *record.System) error {
	people, err := x.AllPeople()
	if err != nil {
		return err
	}
	count := 1 // a power of two, so that it seldom changes
	for count*inPiece < len(people) {
		count *= 2
	}
	pieces := make([][]record.Account, count)
	for _, a := range people {
		h := fnv.New32a()
		h.Write([]byte(a.Login))
		n := int(h.Sum32() % uint32(len(pieces)))
		if pieces[n] == nil {
			pieces[n] = make([]record.Account, 0, inPiece)
		}
		pieces[n] = append(pieces[n], a)
	}
	var list []piece
	for n, accounts := range pieces {
		if len(accounts) == 0 {
			continue
		}
		text, err := json.Marshal(accounts)
		if err != nil {
			return err
		}
		list = append(list, piece{n, digest(text), text})
	}
	for chunk := range slices.Chunk(list, 200) {
		if err := s.keepPieces(ctx, tx, id, x.Name, chunk); err != nil {
			return err
		}
	}
	return nil
}

// A piece is some accounts of a system, and its name.
type piece struct {
	number int
	hash   string
	text   []byte
}

// keepPieces packs and keeps those pieces that no result has yet, and lists all.
func (s *Store) keepPieces(ctx context.Context, tx *sql.Tx, id int64, system string, list []piece) error {
	marks, hashes := "", make([]any, len(list))
	for i := range list {
		marks += ", ?"
		hashes[i] = list[i].hash
	}
	query := "SELECT id, hash FROM shared WHERE hash IN (" + marks[2:] + ")"
	if s.postgres {
		query += " FOR KEY SHARE" // nobody deletes them meanwhile
	}
	rows, err := tx.QueryContext(ctx, s.bind(query), hashes...)
	if err != nil {
		return err
	}
	defer rows.Close()
	ids := map[string]int64{}
	for rows.Next() {
		var hash string
		var number int64
		if err := rows.Scan(&number, &hash); err != nil {
			return err
		}
		ids[hash] = number
	}
	if err := rows.Err(); err != nil {
		return err
	}
	rows.Close()
	var values []any
	for i := range list {
		p := &list[i]
		number, there := ids[p.hash]
		if !there {
			err := tx.QueryRowContext(ctx, s.bind("INSERT INTO shared (hash, data) VALUES (?, ?) ON CONFLICT (hash) DO NOTHING RETURNING id"),
				p.hash, packer.EncodeAll(p.text, nil)).Scan(&number)
			if errors.Is(err, sql.ErrNoRows) { // another writer was first
				err = tx.QueryRowContext(ctx, s.bind("SELECT id FROM shared WHERE hash = ?"), p.hash).Scan(&number)
			}
			if err != nil {
				return err
			}
		}
		values = append(values, id, system, p.number, number)
	}
	_, err = tx.ExecContext(ctx, s.bind("INSERT INTO parts (result, system, piece, shared) VALUES "+
		strings.TrimPrefix(strings.Repeat(", (?, ?, ?, ?)", len(list)), ", ")), values...)
	return err
}

// A Kept result is what the list of a store says of one.
type Kept struct {
	ID       int64
	KeptAt   string
	AsOf     string
	Estate   string
	Tool     string
	Systems  int
	Partial  int
	Counts   map[rules.Severity]int
	Accepted int
}

// List lists the results, the earliest exports first.
func (s *Store) List(ctx context.Context) ([]Kept, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT r.id, r.kept_at, r.as_of, r.estate, r.tool, COUNT(s.system), COALESCE(SUM(s.partial), 0), "+
		"COALESCE(SUM(s.critical), 0), COALESCE(SUM(s.high), 0), COALESCE(SUM(s.medium), 0), COALESCE(SUM(s.low), 0), COALESCE(SUM(s.info), 0), "+
		"COALESCE(SUM(s.accepted), 0) FROM results r LEFT JOIN sums s ON s.result = r.id GROUP BY r.id, r.kept_at, r.as_of, r.estate, r.tool "+
		"ORDER BY r.as_of, r.id")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var list []Kept
	for rows.Next() {
		k := Kept{Counts: map[rules.Severity]int{}}
		n := make([]int, len(rules.Severities))
		if err := rows.Scan(&k.ID, &k.KeptAt, &k.AsOf, &k.Estate, &k.Tool, &k.Systems, &k.Partial, &n[0], &n[1], &n[2], &n[3], &n[4], &k.Accepted); err != nil {
			return nil, err
		}
		for i, severity := range []rules.Severity{rules.Critical, rules.High, rules.Medium, rules.Low, rules.Info} {
			k.Counts[severity] = n[i]
		}
		list = append(list, k)
	}
	return list, rows.Err()
}

// ErrNone is that a store has no such result.
var ErrNone = errors.New("the history has no such result")

// Record returns a result without its accounts.
func (s *Store) Record(ctx context.Context, id int64) (*record.Record, error) {
	var document []byte
	err := s.db.QueryRowContext(ctx, s.bind("SELECT document FROM results WHERE id = ?"), id).Scan(&document)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNone
	}
	if err != nil {
		return nil, err
	}
	r := &record.Record{}
	if err := unpacked(document, r); err != nil {
		return nil, err
	}
	if r.Version > record.Version {
		return nil, fmt.Errorf("result %d was kept by a newer program", id)
	}
	return r, nil
}

// Get returns a result with its accounts, which are read when they are asked for, from
// the open store.
func (s *Store) Get(ctx context.Context, id int64) (*record.Record, error) {
	r, err := s.Record(ctx, id)
	if err != nil {
		return nil, err
	}
	for i := range r.Systems {
		if x := &r.Systems[i]; x.Listed {
			x.Read = func() ([]record.Account, error) { return s.people(ctx, id, x.Name) }
		}
	}
	return r, nil
}

// people returns the accounts of a system of a result.
func (s *Store) people(ctx context.Context, id int64, system string) (list []record.Account, err error) {
	rows, err := s.db.QueryContext(ctx, s.bind("SELECT s.data FROM parts p JOIN shared s ON s.id = p.shared WHERE p.result = ? AND p.system = ? "+
		"ORDER BY p.piece"), id, system)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	once := map[string]string{}
	for rows.Next() {
		var data []byte
		if err := rows.Scan(&data); err != nil {
			return nil, err
		}
		var piece []record.Account
		if err := unpacked(data, &piece); err != nil {
			return nil, err
		}
		for _, a := range piece {
			a.PasswordSet, a.Policy, a.Under = record.One(once, a.PasswordSet), record.One(once, a.Policy), record.One(once, a.Under)
			list = append(list, a)
		}
	}
	var there int64 // it may have been deleted since
	if err := s.db.QueryRowContext(ctx, s.bind("SELECT id FROM results WHERE id = ?"), id).Scan(&there); err != nil {
		return nil, ErrNone
	}
	slices.SortStableFunc(list, func(a, b record.Account) int { return strings.Compare(a.Login, b.Login) })
	return list, rows.Err()
}

// Delete deletes the results of exports before a day, and returns how many.
func (s *Store) Delete(ctx context.Context, before time.Time) (n int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		for _, statement := range []string{"DELETE FROM sums WHERE result IN (SELECT id FROM results WHERE as_of < ?)",
			"DELETE FROM parts WHERE result IN (SELECT id FROM results WHERE as_of < ?)", "DELETE FROM results WHERE as_of < ?"} {
			done, err := tx.ExecContext(ctx, s.bind(statement), stamp(before))
			if err != nil {
				return err
			}
			if n, err = done.RowsAffected(); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, "DELETE FROM shared WHERE id NOT IN (SELECT shared FROM parts)")
		return err
	})
	return n, err
}

var (
	packer, _   = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1), zstd.WithEncoderLevel(zstd.SpeedBetterCompression))
	unpacker, _ = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(512<<20))
)

func packed(v any) ([]byte, error) {
	text, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	return packer.EncodeAll(text, nil), nil
}

func unpacked(data []byte, into any) error {
	text, err := unpacker.DecodeAll(data, nil)
	if err != nil {
		return fmt.Errorf("a kept result cannot be read: %w", err)
	}
	return json.Unmarshal(text, into)
}

// digest names a piece by what it holds.
func digest(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// Sums returns the sums of all results, for trends; with names, of these
// systems only.
func (s *Store) Sums(ctx context.Context, systems []string) ([]trend.Sum, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT r.id, r.as_of, s.system, s.partial, s.accounts, s.privileged, s.disabled, s.clauses, s.met, s.critical, "+
		"s.high, s.medium, s.low, s.info, s.accepted, s.more FROM results r JOIN sums s ON s.result = r.id ORDER BY r.as_of, r.id, s.system")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var list []trend.Sum
	for rows.Next() {
		x, at, more, partial, n := trend.Sum{Counts: map[rules.Severity]int{}}, "", "", 0, [5]int{}
		if err := rows.Scan(&x.Result, &at, &x.System, &partial, &x.Accounts, &x.Privileged, &x.Disabled, &x.Clauses, &x.Met, &n[0], &n[1], &n[2], &n[3],
			&n[4], &x.Accepted, &more); err != nil {
			return nil, err
		}
		if more != "" { // what was kept by the first programs has none
			if err := json.Unmarshal([]byte(more), &x.More); err != nil {
				return nil, err
			}
		}
		if len(systems) > 0 && !slices.Contains(systems, x.System) {
			continue
		}
		if x.AsOf, err = time.Parse(time.RFC3339, at); err != nil {
			return nil, err
		}
		x.Partial = partial != 0
		for i, severity := range []rules.Severity{rules.Critical, rules.High, rules.Medium, rules.Low, rules.Info} {
			x.Counts[severity] = n[i]
		}
		list = append(list, x)
	}
	return list, rows.Err()
}

// Records calls a function for each result, without its accounts, the earliest
// exports first.
func (s *Store) Records(ctx context.Context, do func(id int64, r *record.Record)) error {
	rows, err := s.db.QueryContext(ctx, "SELECT id, document FROM results ORDER BY as_of, id")
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var id int64
		var document []byte
		if err := rows.Scan(&id, &document); err != nil {
			return err
		}
		r := &record.Record{}
		if err := unpacked(document, r); err != nil {
			return err
		}
		do(id, r)
	}
	return rows.Err()
}

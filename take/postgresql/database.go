package postgresql

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgtype"

	"yewcone/intake"
	"yewcone/intake/inplace"
	"yewcone/take"
)

// Database signs in to a server whose tables are judged where they lie.
func Database(ctx context.Context, j *take.Job) (intake.Database, error) {
	var d *database
	err := j.Again(ctx, j.Source.Address, func() error {
		c, err := connect(ctx, j)
		if err != nil {
			return err
		}
		d = &database{ctx: ctx, c: c}
		return d.begin()
	})
	if err != nil {
		return nil, err
	}
	return d, nil
}

// database is one transaction, which can write nothing and sees one moment.
type database struct {
	inplace.PostgreSQL
	ctx context.Context
	c   *pgx.Conn
}

func (d *database) begin() error {
	// Long expressions are compiled for longer than they are used.
	_, err := d.c.PgConn().Exec(d.ctx, "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY; "+
		"SELECT set_config(name, 'off', true) FROM pg_catalog.pg_settings WHERE name = 'jit'; SAVEPOINT yewcone").ReadAll()
	return err
}

func (d *database) Close() { _ = d.c.Close(context.WithoutCancel(d.ctx)) }

// kinds are the types that matter; all others are read as texts.
var kinds = map[uint32]intake.ColumnKind{
	pgtype.TimestamptzOID: inplace.Instant, pgtype.TimestampOID: inplace.Local, pgtype.DateOID: inplace.Day,
	pgtype.Int2OID: inplace.Number, pgtype.Int4OID: inplace.Number, pgtype.Int8OID: inplace.Number,
	pgtype.TextArrayOID: inplace.List, pgtype.VarcharArrayOID: inplace.List, pgtype.NameArrayOID: inplace.List, pgtype.BPCharArrayOID: inplace.List,
	pgtype.UUIDArrayOID: inplace.List, pgtype.Int2ArrayOID: inplace.List, pgtype.Int4ArrayOID: inplace.List, pgtype.Int8ArrayOID: inplace.List,
}

// Columns describes the rows of a table or query.
func (d *database) Columns(source string) ([]intake.Column, error) {
	statement, err := d.c.PgConn().Prepare(d.ctx, "", "SELECT * FROM "+source, nil)
	if err != nil {
		return nil, worded(err)
	}
	var list []intake.Column
	for _, f := range statement.Fields {
		c := intake.Column{Name: f.Name, Kind: kinds[f.DataTypeOID], Type: fmt.Sprint(f.DataTypeOID)}
		if t, ok := d.c.TypeMap().TypeForOID(f.DataTypeOID); ok {
			c.Type = t.Name
		}
		list = append(list, c)
	}
	return list, nil
}

// Ask asks one statement; what a text would end it with is refused by the server.
func (d *database) Ask(query string, row func([]string) error) error {
	rows := d.c.PgConn().ExecParams(d.ctx, query, nil, nil, nil, nil)
	var texts []string
	for rows.NextRow() {
		texts = texts[:0]
		for _, value := range rows.Values() {
			if value == nil {
				texts = append(texts, "NULL")
			} else {
				texts = append(texts, string(value))
			}
		}
		if err := row(texts); err != nil {
			d.Close() // so that the rest is not sent
			return err
		}
	}
	_, err := rows.Close()
	if refused := new(pgconn.PgError); errors.As(err, &refused) { // so that another question can be asked
		_, _ = d.c.PgConn().Exec(d.ctx, "ROLLBACK TO SAVEPOINT yewcone").ReadAll()
	}
	return worded(err)
}

// worded is an error of the server without what it quotes of the rows: values that do
// not fit where a query puts them.
func worded(err error) error {
	var refused *pgconn.PgError
	if errors.As(err, &refused) && (strings.HasPrefix(refused.Code, "22") || strings.HasPrefix(refused.Code, "23")) {
		return fmt.Errorf("a value in the rows does not fit where the query puts it (SQLSTATE %s)", refused.Code)
	}
	return err
}

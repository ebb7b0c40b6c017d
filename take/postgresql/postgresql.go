// Package postgresql takes exports of PostgreSQL servers.
package postgresql

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"yewcone/intake"
	reader "yewcone/intake/postgresql"
	"yewcone/take"
)

// Protocol asks PostgreSQL servers.
var Protocol = take.Protocol{Name: "postgresql", Folder: true, Reads: []string{"postgresql"}, Asks: asks, Take: run}

func asks(*take.Source) []string { return intake.Asked(reader.Format.How) }

func run(ctx context.Context, j *take.Job) error {
	return j.Again(ctx, j.Source.Address, func() error {
		c, err := connect(ctx, j)
		if err != nil {
			return err
		}
		defer c.Close(context.WithoutCancel(ctx))
		if err := export(ctx, c.PgConn(), j); err != nil {
			return &take.Refused{Err: err}
		}
		return nil
	})
}

func connect(ctx context.Context, j *take.Job) (*pgx.Conn, error) {
	s := j.Source
	config, err := pgx.ParseConfig(s.Address)
	if err != nil {
		return nil, &take.Refused{Err: errors.New("the address is not understood; expected postgres://HOST:PORT/DATABASE?sslmode=verify-full")}
	}
	if config.Password != "" && strings.Contains(s.Address, config.Password) {
		return nil, &take.Refused{Err: errors.New("a password stands in the address: take it out, change it, and say under \"secret\" where the new one is")}
	}
	if s.User != "" {
		config.User = s.User
	}
	if s.Database != "" {
		config.Database = s.Database
	}
	if config.Password, err = j.Secret(); err != nil {
		return nil, &take.Refused{Err: err}
	}
	// Whatever the address says of encryption: to another host all is encrypted, and the
	// certificate checked.
	if s.CA != "" || !take.Here(config.Host) {
		if config.TLSConfig, err = take.TLS(s, config.Host); err != nil {
			return nil, err
		}
		config.Fallbacks = nil
	}
	config.RuntimeParams["DateStyle"], config.RuntimeParams["TimeZone"] = "ISO", "UTC"
	config.RuntimeParams["application_name"], config.RuntimeParams["standard_conforming_strings"] = "yewcone", "on"
	c, err := pgx.ConnectConfig(ctx, config)
	var refused *pgconn.PgError
	switch {
	case errors.As(err, &refused) && strings.HasPrefix(refused.Code, "28"):
		return nil, &take.Refused{Err: fmt.Errorf("the sign-in was refused, and is not tried again: %s (%s)", refused.Message, refused.Code)}
	case err != nil:
		return nil, take.Certificate(err)
	}
	j.By = config.User
	return c, nil
}

// export asks all in one transaction that can write nothing.
func export(ctx context.Context, c *pgconn.PgConn, j *take.Job) error {
	if _, err := c.Exec(ctx, "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY").ReadAll(); err != nil {
		return err
	}
	for _, q := range intake.Queries(reader.Format.How) {
		err := j.File(q.File, func(w io.Writer) error { return write(ctx, c, j, q, w) })
		if err != nil {
			return fmt.Errorf("%s: %w", q.File, err)
		}
	}
	_, err := c.Exec(ctx, "ROLLBACK").ReadAll()
	return err
}

// write writes rows as the server's own client does: CSV with a heading, or tabs and
// none.
func write(ctx context.Context, c *pgconn.PgConn, j *take.Job, q intake.Query, w io.Writer) error {
	out := csv.NewWriter(w)
	results := c.Exec(ctx, q.SQL)
	for results.NextResult() {
		rows := results.ResultReader()
		fields := rows.FieldDescriptions()
		record := make([]string, len(fields))
		if out.Comma = ','; q.Bare {
			out.Comma = '\t'
		} else {
			for i := range fields {
				record[i] = fields[i].Name
			}
			if err := out.Write(record); err != nil {
				return err
			}
		}
		for rows.NextRow() {
			for i, value := range rows.Values() {
				record[i] = string(value)
			}
			if err := out.Write(record); err != nil {
				return err
			}
			j.Rows++
		}
		if _, err := rows.Close(); err != nil {
			return err
		}
	}
	if err := results.Close(); err != nil {
		return err
	}
	out.Flush()
	return out.Error()
}

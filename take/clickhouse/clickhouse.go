// Package clickhouse asks ClickHouse servers by their native protocol.
package clickhouse

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/url"
	"strings"
	"time"

	"github.com/ClickHouse/clickhouse-go/v2"
	"github.com/ClickHouse/clickhouse-go/v2/lib/driver"

	"yewcone/intake"
	"yewcone/intake/inplace"
	"yewcone/take"
)

// authentication failed, unknown user, wrong password: codes of the server.
var refusals = map[int32]bool{516: true, 192: true, 193: true, 194: true}

// Database signs in to a server whose tables are judged where they lie.
func Database(ctx context.Context, j *take.Job) (intake.Database, error) {
	var d *database
	err := j.Again(ctx, j.Source.Address, func() error {
		options, err := optionsOf(j)
		if err != nil {
			return &take.Refused{Err: err}
		}
		conn, err := clickhouse.Open(options)
		if err != nil {
			return &take.Refused{Err: err}
		}
		err = conn.Ping(ctx)
		var refused *clickhouse.Exception
		switch {
		case errors.As(err, &refused) && refusals[refused.Code]:
			return &take.Refused{Err: fmt.Errorf("the sign-in was refused, and is not tried again (%d)", refused.Code)}
		case err != nil:
			return take.Certificate(err)
		}
		d = &database{ctx: ctx, conn: conn}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return d, nil
}

// optionsOf reads an address such as clickhouse://HOST:9440/DATABASE. Only to this
// host is nothing encrypted.
func optionsOf(j *take.Job) (*clickhouse.Options, error) {
	s := j.Source
	at, err := url.Parse(s.Address)
	if err != nil || at.Scheme != "clickhouse" || at.Hostname() == "" || at.RawQuery != "" {
		return nil, errors.New("the address is not understood; expected clickhouse://HOST:PORT/DATABASE")
	}
	if at.User != nil {
		return nil, errors.New("a name stands in the address: say under \"user\" who asks, and under \"secret\" where the password is")
	}
	password, err := j.Secret()
	if err != nil {
		return nil, err
	}
	host, port := at.Hostname(), at.Port()
	options := &clickhouse.Options{
		Auth:        clickhouse.Auth{Database: strings.Trim(at.Path, "/"), Username: s.User, Password: password},
		DialTimeout: 30 * time.Second, ReadTimeout: s.Patience, MaxOpenConns: 1, MaxIdleConns: 1,
		Compression: &clickhouse.Compression{Method: clickhouse.CompressionLZ4},
		Settings:    clickhouse.Settings{"readonly": 2, "max_query_size": 16 << 20, "max_ast_elements": 1 << 20, "max_expanded_ast_elements": 1 << 22},
		ClientInfo:  clickhouse.ClientInfo{},
	}
	if s.Database != "" {
		options.Auth.Database = s.Database
	}
	if !take.Here(host) || s.CA != "" {
		if options.TLS, err = take.TLS(s, host); err != nil {
			return nil, err
		}
	}
	if port == "" {
		port = map[bool]string{true: "9000", false: "9440"}[options.TLS == nil]
	}
	options.Addr = []string{net.JoinHostPort(host, port)}
	return options, nil
}

type database struct {
	inplace.ClickHouse
	ctx  context.Context
	conn driver.Conn
}

func (d *database) Close() { _ = d.conn.Close() }

// Columns describes the rows of a table or query.
func (d *database) Columns(source string) ([]intake.Column, error) {
	rows, err := d.conn.Query(d.ctx, "SELECT * FROM "+source+" LIMIT 0")
	if err != nil {
		return nil, worded(err)
	}
	defer rows.Close()
	var list []intake.Column
	for _, t := range rows.ColumnTypes() {
		list = append(list, intake.Column{Name: t.Name(), Kind: d.KindOf(t.DatabaseTypeName()), Type: t.DatabaseTypeName()})
	}
	return list, rows.Err()
}

// Ask asks one query, of which all columns are texts.
func (d *database) Ask(query string, row func([]string) error) error {
	rows, err := d.conn.Query(d.ctx, query)
	if err != nil {
		return worded(err)
	}
	defer rows.Close()
	types := rows.ColumnTypes()
	texts, nullable, into := make([]string, len(types)), make([]*string, len(types)), make([]any, len(types))
	for i, t := range types {
		if into[i] = &texts[i]; t.Nullable() {
			into[i] = &nullable[i]
		}
	}
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		for i, t := range types {
			if !t.Nullable() {
				continue
			}
			if texts[i] = "NULL"; nullable[i] != nil {
				texts[i] = *nullable[i]
			}
		}
		if err := row(texts); err != nil {
			return err
		}
	}
	return worded(rows.Err())
}

// told are the codes of errors that quote nothing but the query: what is not there,
// what is not allowed, and what takes too long.
var told = map[int32]bool{36: true, 42: true, 43: true, 46: true, 47: true, 60: true, 62: true, 81: true, 159: true, 164: true, 241: true, 279: true, 497: true}

// worded is an error of the server without what it quotes of the rows.
func worded(err error) error {
	var refused *clickhouse.Exception
	if errors.As(err, &refused) && !told[refused.Code] {
		return fmt.Errorf("the server answers with error %d (%s)", refused.Code, refused.Name)
	}
	return err
}

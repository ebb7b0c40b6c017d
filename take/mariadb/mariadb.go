// Package mariadb takes exports of MariaDB servers.
package mariadb

import (
	"bufio"
	"context"
	"crypto/tls"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net"
	"strings"

	"github.com/go-sql-driver/mysql"

	"yewcone/intake"
	reader "yewcone/intake/mariadb"
	"yewcone/take"
)

// Protocol asks MariaDB servers.
var Protocol = take.Protocol{Name: "mariadb", Folder: true, Reads: []string{"mariadb"}, Asks: asks, Take: run}

func asks(*take.Source) []string { return intake.Asked(reader.Format.How) }

func init() { _ = mysql.SetLogger(&mysql.NopLogger{}) } // errors are returned too

func run(ctx context.Context, j *take.Job) error {
	return j.Again(ctx, j.Source.Address, func() error {
		config, err := configOf(j)
		if err != nil {
			return &take.Refused{Err: err}
		}
		connector, err := mysql.NewConnector(config)
		if err != nil {
			return &take.Refused{Err: err}
		}
		db := sql.OpenDB(connector)
		defer db.Close()
		db.SetMaxOpenConns(1)
		tx, err := db.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
		var refused *mysql.MySQLError
		switch {
		case errors.As(err, &refused) && (refused.Number == 1045 || refused.Number == 1044 || refused.Number == 1698):
			return &take.Refused{Err: fmt.Errorf("the sign-in was refused, and is not tried again (%d)", refused.Number)}
		case err != nil:
			return take.Certificate(err)
		}
		defer func() { _ = tx.Rollback() }()
		for _, q := range intake.Queries(reader.Format.How) {
			if err := j.File(q.File, func(w io.Writer) error { return write(ctx, tx, j, q, w) }); err != nil {
				return &take.Refused{Err: fmt.Errorf("%s: %w", q.File, err)}
			}
		}
		j.By = config.User
		return nil
	})
}

// configOf reads an address such as HOST:3306, or a socket's path.
func configOf(j *take.Job) (*mysql.Config, error) {
	s := j.Source
	config := mysql.NewConfig()
	config.User, config.DBName = s.User, s.Database
	var err error
	if config.Passwd, err = j.Secret(); err != nil {
		return nil, err
	}
	address := strings.TrimPrefix(s.Address, "mariadb://")
	if strings.HasPrefix(address, "/") {
		config.Net, config.Addr = "unix", address
		return config, nil
	}
	host, port, err := net.SplitHostPort(address)
	if err != nil {
		host, port = address, "3306"
	}
	if host == "" || strings.ContainsAny(host, "/@?") {
		return nil, errors.New("expected HOST, HOST:PORT or the path of a socket")
	}
	config.Net, config.Addr = "tcp", net.JoinHostPort(host, port)
	if config.TLS, err = take.TLS(s, host); err != nil {
		return nil, err
	}
	if s.CA == "" && take.Here(host) {
		config.TLS = nil // it does not leave the host
	} else {
		config.TLS.MinVersion = tls.VersionTLS12
	}
	return config, nil
}

var escape = strings.NewReplacer(`\`, `\\`, "\t", `\t`, "\n", `\n`, "\x00", `\0`)

// write writes rows as the server's own client does with --batch.
func write(ctx context.Context, tx *sql.Tx, j *take.Job, q intake.Query, w io.Writer) error {
	rows, err := tx.QueryContext(ctx, q.SQL)
	if err != nil {
		return err
	}
	defer rows.Close()
	names, err := rows.Columns()
	if err != nil {
		return err
	}
	out := bufio.NewWriter(w)
	if !q.Bare {
		fmt.Fprintln(out, strings.Join(names, "\t"))
	}
	values, into := make([]sql.RawBytes, len(names)), make([]any, len(names))
	for i := range values {
		into[i] = &values[i]
	}
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		for i, v := range values {
			if i > 0 {
				_ = out.WriteByte('\t')
			}
			if v == nil {
				_, _ = out.WriteString("NULL")
			} else {
				_, _ = escape.WriteString(out, string(v))
			}
		}
		_ = out.WriteByte('\n')
		j.Rows++
	}
	if err := rows.Err(); err != nil {
		return err
	}
	return out.Flush()
}

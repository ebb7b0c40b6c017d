package main

import (
	"errors"
	"io"
	"os"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"
)

// parquetColumns are the columns of an account in a Parquet file but for its dates.
type parquetColumns struct {
	Login        string   `parquet:"login"`
	Name         string   `parquet:"name"`
	Mail         string   `parquet:"mail"`
	Employee     string   `parquet:"employee"`
	Unit         string   `parquet:"unit,dict"`
	Role         string   `parquet:"role,dict"`
	Type         string   `parquet:"type,dict"`
	Active       bool     `parquet:"active"`
	Locked       bool     `parquet:"locked"`
	MustChange   bool     `parquet:"must_change"`
	NeverExpires bool     `parquet:"never_expires"`
	SecondFactor bool     `parquet:"second_factor"`
	Groups       []string `parquet:"groups,list"`
	Scheme       string   `parquet:"scheme,dict"`
}

// parquetMoments are dates of a type of their own, as stores by columns write them.
type parquetMoments struct {
	Created     time.Time  `parquet:"created,timestamp(millisecond)"`
	PasswordSet time.Time  `parquet:"password_set,timestamp(millisecond)"`
	LastSignIn  *time.Time `parquet:"last_sign_in,optional,timestamp(millisecond)"`
}

// parquetTexts are dates as texts, as a table of texts is turned into Parquet.
type parquetTexts struct {
	Created     string `parquet:"created"`
	PasswordSet string `parquet:"password_set"`
	LastSignIn  string `parquet:"last_sign_in"`
}

type parquetTyped struct {
	parquetColumns
	parquetMoments
}

type parquetPlain struct {
	parquetColumns
	parquetTexts
}

// parquetRows is how many rows a group has at most; a file has at least four.
const parquetRows = 100_000

// parquetWriter writes accounts as Parquet: packed as most programs do by themselves, or, with
// dates as texts, as small as can be.
type parquetWriter struct {
	typed *parquet.GenericWriter[parquetTyped]
	plain *parquet.GenericWriter[parquetPlain]
}

func newParquetWriter(w io.Writer, shape string, count int) *parquetWriter {
	groups := parquet.MaxRowsPerRowGroup(int64(min(parquetRows, count/4+1)))
	if shape == "texts" {
		return &parquetWriter{plain: parquet.NewGenericWriter[parquetPlain](w, groups, parquet.Compression(&parquet.Zstd))}
	}
	return &parquetWriter{typed: parquet.NewGenericWriter[parquetTyped](w, groups, parquet.Compression(&parquet.Snappy))}
}

func (p *parquetWriter) write(f []string) error {
	all := parquetColumns{Login: f[0], Name: f[1], Mail: f[2], Employee: f[3], Unit: f[4], Role: f[5], Type: f[6], Active: f[7] == "yes", Locked: f[8] == "yes",
		MustChange: f[9] == "yes", NeverExpires: f[10] == "yes", SecondFactor: f[11] == "yes"}
	if len(f) > len(columns) {
		all.Groups, all.Scheme = strings.Split(f[len(columns)], ";"), f[len(columns)+1]
	}
	if p.plain != nil {
		_, err := p.plain.Write([]parquetPlain{{all, parquetTexts{f[12], f[13], f[14]}}})
		return err
	}
	var r row
	r.Created, r.PasswordSet, r.LastSignIn = f[12], f[13], f[14]
	if err := r.readDates(time.RFC3339); err != nil {
		return err
	}
	dates := parquetMoments{Created: r.made, PasswordSet: r.set}
	if r.LastSignIn != "" {
		dates.LastSignIn = &r.seen
	}
	_, err := p.typed.Write([]parquetTyped{{all, dates}})
	return err
}

func (p *parquetWriter) close() error {
	if p.plain != nil {
		return p.plain.Close()
	}
	return p.typed.Close()
}

// countParquet counts as somebody would who has the same library: whole rows into a
// struct, a thousand at a time.
func countParquet(f *os.File) (*counts, error) {
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	file, err := parquet.OpenFile(f, info.Size())
	if err != nil {
		return nil, err
	}
	if set, _ := file.Schema().Lookup("password_set"); set.Node.Type().Kind() == parquet.ByteArray {
		return countRows(f, func(p *parquetPlain, r *row) error {
			p.into(r)
			r.Created, r.PasswordSet, r.LastSignIn = p.Created, p.PasswordSet, p.LastSignIn
			return r.readDates(time.RFC3339)
		})
	}
	return countRows(f, func(p *parquetTyped, r *row) error {
		p.into(r)
		r.made, r.set = p.Created, p.PasswordSet
		if p.LastSignIn != nil && !p.LastSignIn.IsZero() { // the library reads a null so
			r.LastSignIn, r.seen = "there", *p.LastSignIn
		}
		return nil
	})
}

func (p *parquetColumns) into(r *row) {
	*r = row{Login: p.Login, Mail: p.Mail, Unit: p.Unit, Role: p.Role, Type: p.Type, Active: p.Active, Locked: p.Locked, MustChange: p.MustChange,
		NeverExpires: p.NeverExpires, SecondFactor: p.SecondFactor}
}

func countRows[T any](f *os.File, take func(*T, *row) error) (*counts, error) {
	r := parquet.NewGenericReader[T](f)
	defer r.Close()
	var c counts
	rows := make([]T, 1000)
	var one row
	for {
		n, err := r.Read(rows)
		for i := range rows[:n] {
			if err := take(&rows[i], &one); err != nil {
				return nil, err
			}
			c.add(&one, conditions)
		}
		if errors.Is(err, io.EOF) {
			return &c, nil
		}
		if err != nil {
			return nil, err
		}
	}
}

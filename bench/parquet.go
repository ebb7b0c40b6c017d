package main

import (
	"errors"
	"io"
	"os"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"
)

// parquetRow is an account in a Parquet file, with texts as the other forms have them:
// what is compared is how they are read.
type parquetRow struct {
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
	Created      string   `parquet:"created"`
	PasswordSet  string   `parquet:"password_set"`
	LastSignIn   string   `parquet:"last_sign_in"`
	Groups       []string `parquet:"groups,list"`
	Scheme       string   `parquet:"scheme,dict"`
}

// parquetRows is how many rows a group has at most; a file has at least four.
const parquetRows = 100_000

// parquetWriter writes accounts as Parquet.
type parquetWriter struct {
	w *parquet.GenericWriter[parquetRow]
}

func newParquetWriter(w io.Writer, count int) *parquetWriter {
	return &parquetWriter{parquet.NewGenericWriter[parquetRow](w, parquet.MaxRowsPerRowGroup(int64(min(parquetRows, count/4+1))), parquet.Compression(&parquet.Zstd))}
}

func (p *parquetWriter) write(f []string) error {
	row := parquetRow{Login: f[0], Name: f[1], Mail: f[2], Employee: f[3], Unit: f[4], Role: f[5], Type: f[6], Active: f[7] == "yes", Locked: f[8] == "yes",
		MustChange: f[9] == "yes", NeverExpires: f[10] == "yes", SecondFactor: f[11] == "yes", Created: f[12], PasswordSet: f[13], LastSignIn: f[14]}
	if len(f) > len(columns) {
		row.Groups, row.Scheme = strings.Split(f[len(columns)], ";"), f[len(columns)+1]
	}
	_, err := p.w.Write([]parquetRow{row})
	return err
}

// countParquet counts as somebody would who has the same library: whole rows into a
// struct, a thousand at a time.
func countParquet(f *os.File) (*counts, error) {
	r := parquet.NewGenericReader[parquetRow](f)
	defer r.Close()
	var c counts
	rows := make([]parquetRow, 1000)
	for {
		n, err := r.Read(rows)
		for i := range rows[:n] {
			p := &rows[i]
			one := row{Login: p.Login, Mail: p.Mail, Unit: p.Unit, Role: p.Role, Type: p.Type, Active: p.Active, Locked: p.Locked, MustChange: p.MustChange,
				NeverExpires: p.NeverExpires, SecondFactor: p.SecondFactor, Created: p.Created, PasswordSet: p.PasswordSet, LastSignIn: p.LastSignIn}
			if err := one.readDates(time.RFC3339); err != nil {
				return nil, err
			}
			c.add(&one)
		}
		if errors.Is(err, io.EOF) {
			return &c, nil
		}
		if err != nil {
			return nil, err
		}
	}
}

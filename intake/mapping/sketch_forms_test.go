package mapping_test

import (
	"bytes"
	"encoding/base64"
	"encoding/csv"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/parquet-go/parquet-go"
)

// table is the rows of an estate in CSV, with the heading; nil where it has none.
func (m *made) table(t *testing.T) [][]string {
	t.Helper()
	text, there := m.files["accounts.csv"]
	if !there {
		return nil
	}
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	return rows
}

// become puts another file in the place of the CSV; more stands in the mapping after its name.
func (m *made) become(file, text, more string) {
	delete(m.files, "accounts.csv")
	m.files[file] = text
	m.files["mapping.yaml"] = strings.Replace(m.files["mapping.yaml"], "file: accounts.csv\n", "file: "+file+"\n"+more, 1)
	m.files["estate.yaml"] = strings.Replace(m.files["estate.yaml"], "accounts.csv", file, 1)
}

// entries makes LDIF of the rows of an estate in CSV: some values folded or in base64, some
// that are empty left out; it draws nothing.
func (m *made) entries(t *testing.T) {
	rows := m.table(t)
	if rows == nil {
		return
	}
	var b strings.Builder
	for i, row := range rows[1:] {
		fmt.Fprintf(&b, "dn: cn=%d,dc=marrowby,dc=example\nobjectClass: madeAccount\n", i)
		for j, value := range row {
			name := rows[0][j]
			switch {
			case value == "" && (i+j)%3 > 0:
			case value == "":
				fmt.Fprintf(&b, "%s:\n", name)
			case strings.TrimSpace(value) != value || (i+j)%41 == 0:
				fmt.Fprintf(&b, "%s:: %s\n", name, base64.StdEncoding.EncodeToString([]byte(value)))
			case len(value) > 4 && (i+j)%37 == 0:
				fmt.Fprintf(&b, "%s: %s\n %s\n", name, value[:3], value[3:])
			default:
				fmt.Fprintf(&b, "%s: %s\n", name, value)
			}
		}
		b.WriteString("\n")
	}
	m.become("accounts.ldif", b.String(), "    rows: madeAccount\n")
}

// columnar makes Parquet of the rows of an estate in CSV: some columns by a dictionary, two of
// moments, whose other texts are nulls; it draws nothing.
func (m *made) columnar(t *testing.T) {
	rows := m.table(t)
	if rows == nil {
		return
	}
	moments := map[string]bool{"made": true, "seen": len(rows)%2 == 0}
	nodes := parquet.Group{}
	for i, name := range rows[0] {
		node := parquet.String()
		if i%2 == 1 {
			node = parquet.Encoded(node, &parquet.RLEDictionary)
		}
		if moments[name] {
			node = parquet.Timestamp(parquet.Millisecond)
		}
		nodes[name] = parquet.Optional(node)
	}
	schema := parquet.NewSchema("made", nodes)
	var b bytes.Buffer
	w := parquet.NewGenericWriter[any](&b, schema, parquet.MaxRowsPerRowGroup(100), parquet.PageBufferSize(1000))
	for _, row := range rows[1:] {
		values := make(parquet.Row, len(row))
		for j, text := range row {
			leaf, _ := schema.Lookup(rows[0][j])
			value := parquet.ValueOf(text)
			if moments[rows[0][j]] {
				at, err := time.Parse(time.RFC3339, text)
				if value = parquet.ValueOf(at.UnixMilli()); err != nil {
					text = "null"
				}
			}
			if text == "null" {
				values[leaf.ColumnIndex] = parquet.NullValue().Level(0, 0, leaf.ColumnIndex)
			} else {
				values[leaf.ColumnIndex] = value.Level(0, 1, leaf.ColumnIndex)
			}
		}
		if _, err := w.WriteRows([]parquet.Row{values}); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	m.become("accounts.parquet", b.String(), "")
}

package workbook

import (
	"bytes"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"yewcone/core/finding"
	"yewcone/output"
	"yewcone/output/outputtest"
)

// TestCheck: every finding stands in a sheet, and no cell is a formula.
func TestCheck(t *testing.T) {
	data := outputtest.Written(t, func(b *bytes.Buffer, r *finding.Result, o output.Options) error { return Check(b, r, o) })
	book, err := excelize.OpenReader(strings.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	all := ""
	for _, sheet := range book.GetSheetList() {
		rows, err := book.GetRows(sheet)
		if err != nil {
			t.Fatal(err)
		}
		for r, row := range rows {
			for c, text := range row {
				name, _ := excelize.CoordinatesToCellName(c+1, r+1)
				if formula, _ := book.GetCellFormula(sheet, name); formula != "" {
					t.Errorf("%s!%s is the formula %s", sheet, name, formula)
				}
				all += text + "\n"
			}
		}
	}
	for _, part := range []string{outputtest.Critical, outputtest.Low, outputtest.Accepted, "old tills"} {
		if !strings.Contains(all, part) {
			t.Errorf("%s is not there", part)
		}
	}
	if strings.ContainsAny(all, "\x1b\u202e") {
		t.Error("a control character is in it")
	}
}

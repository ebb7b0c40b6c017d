package main

import (
	"bufio"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// generatePeople writes an estate of systems with so many accounts each, three
// quarters of them of people, the same on all.
func generatePeople(folder string, rows, systems int) error {
	var estate strings.Builder
	estate.WriteString("estate: Bench\nas_of: 2026-11-23T06:00:00Z\npeople: {match: [employee_no, email]}\nsystems:\n")
	for s := range systems {
		name := fmt.Sprintf("system%d", s+1)
		fmt.Fprintf(&estate, "  %s:\n    export: {read: mapping, from: %s, mapping: mapping.yaml}\n    known: {max_age: 90 days}\n    rules: bench\n", name, name)
		if err := os.MkdirAll(filepath.Join(folder, name), 0o755); err != nil {
			return err
		}
		own := maker{state: uint64(s + 1)} // for what is another on each system
		var m maker
		fields := make([]string, len(columns))
		date := func(t time.Time) string { return t.Format(time.RFC3339) }
		if err := written(filepath.Join(folder, name, "accounts.csv"), func(w *bufio.Writer) {
			writeCSV(w, "clean", columns, 0)
			for i := range rows {
				m.account(i+1, fields, date)
				fields[7], fields[10], fields[11], fields[13] = yesUnless(own.oneIn(50)), own.oneIn(40), own.oneIn(3), date(own.before(700))
				writeCSV(w, "clean", fields, i)
			}
		}); err != nil {
			return err
		}
	}
	if err := writeEstate(folder, "accounts.csv", "csv", "clean"); err != nil { // its mapping and rules hold for all
		return err
	}
	return os.WriteFile(filepath.Join(folder, "estate.yaml"), []byte(estate.String()), 0o644)
}

// measurePeople times gaps with people and without.
func measurePeople(folder string, rows, systems, times int) error {
	program, err := built(folder)
	if err != nil {
		return err
	}
	if err := generatePeople(folder, rows, systems); err != nil {
		return err
	}
	fmt.Println("| wall s | cpu s | peak MB |\n|---|---|---|")
	for range times {
		c, err := timed(program, "gaps", "--estate", folder, "--out", filepath.Join(folder, "gaps.txt"))
		if err != nil {
			return err
		}
		fmt.Printf("| %.2f | %.2f | %d |\n", c.wall.Seconds(), c.cpu.Seconds(), c.peak>>10)
	}
	return nil
}

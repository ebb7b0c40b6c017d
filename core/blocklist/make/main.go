// Command make writes the list of well-known passwords that comes with the
// tool, common.txt.gz, from bases.txt: the bases, and those that are words with
// the digits, years and signs that people put behind them.
package main

import (
	"bytes"
	"compress/gzip"
	_ "embed"
	"fmt"
	"log"
	"maps"
	"os"
	"slices"
	"strings"
)

//go:embed bases.txt
var bases string

var decorations = strings.Fields("1 12 123 1234 12345 01 11 21 22 69 77 88 99 00 007 ! 1! 123! @123 #1 * ? .")

func list() []string {
	all := map[string]bool{}
	for _, base := range strings.Fields(bases) {
		all[base] = true
		if len(base) < 4 || strings.Trim(base, "abcdefghijklmnopqrstuvwxyz") != "" {
			continue
		}
		for _, d := range decorations {
			all[base+d] = true
		}
		for year := 1980; year <= 2030; year++ {
			all[fmt.Sprint(base, year)] = true
		}
	}
	for year := 1940; year <= 2030; year++ {
		all[fmt.Sprint(year)] = true
	}
	for n := range 100 {
		pair := fmt.Sprintf("%02d", n)
		all[strings.Repeat(pair, 2)], all[strings.Repeat(pair, 3)] = true, true
	}
	for _, c := range "0123456789abcdefghijklmnopqrstuvwxyz" {
		for n := 3; n <= 12; n++ {
			all[strings.Repeat(string(c), n)] = true
		}
	}
	const digits, down = "0123456789", "9876543210"
	for n := 3; n <= 10; n++ {
		for i := 0; i+n <= 10; i++ {
			all[digits[i:i+n]], all[down[i:i+n]] = true, true
		}
	}
	return slices.Sorted(maps.Keys(all))
}

func main() {
	var out bytes.Buffer
	w, err := gzip.NewWriterLevel(&out, gzip.BestCompression)
	if err != nil {
		log.Fatal(err)
	}
	if _, err := w.Write([]byte(strings.Join(list(), "\n") + "\n")); err != nil {
		log.Fatal(err)
	}
	if err := w.Close(); err != nil {
		log.Fatal(err)
	}
	if err := os.WriteFile("common.txt.gz", out.Bytes(), 0o644); err != nil {
		log.Fatal(err)
	}
}

package main

import (
	"testing"
	"time"

	"yewcone/core/audit"
	"yewcone/intake/estatefolder"
)

// BenchmarkForms checks accounts as houses have them in each form, on one worker.
func BenchmarkForms(b *testing.B) {
	const rows = 200_000
	for _, form := range []string{"csv", "ndjson", "ldif", "directory", "parquet"} {
		b.Run(form, func(b *testing.B) {
			folder := b.TempDir()
			if err := prepare(folder, form, shapes[form][min(1, len(shapes[form])-1)], rows); err != nil {
				b.Fatal(err)
			}
			for b.Loop() {
				e, err := estatefolder.Load(folder)
				if err != nil {
					b.Fatal(err)
				}
				subjects, err := e.Subjects(nil, time.Time{})
				if err != nil {
					b.Fatal(err)
				}
				got, err := audit.Run("x", subjects, audit.Options{Examples: 3, Jobs: 1, ValueOf: e.ValueOf(time.Time{})})
				if err != nil || got.Systems[0].Accounts < rows {
					b.Fatal(err)
				}
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/rows, "ns/account")
		})
	}
}

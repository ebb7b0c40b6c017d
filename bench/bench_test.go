package main

import (
	"encoding/json"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"yewcone/cli"
	"yewcone/cli/tooltest"
)

func TestMain(m *testing.M) { tooltest.Main(m, cli.Main) }

// TestSameCounts: in every form and shape, the program finds as many accounts
// under each rule as the yardstick counts, and says so on any number of
// processors in the same bytes.
func TestSameCounts(t *testing.T) {
	var first *counts // of all forms that count the same
	for form, list := range shapes {
		for _, shape := range list {
			t.Run(form+" "+shape, func(t *testing.T) {
				folder := t.TempDir()
				if err := prepare(folder, form, shape, 5000); err != nil {
					t.Fatal(err)
				}
				want, err := count(filepath.Join(folder, "accounts."+form), form)
				if err != nil {
					t.Fatal(err)
				}
				if first == nil && form != "directory" {
					first = want
				}
				if form != "directory" && *want != *first {
					t.Errorf("the yardstick counts %v here and %v elsewhere", *want, *first)
				}
				one := checked(t, folder, "1")
				if four := checked(t, folder, "4"); string(one) != string(four) {
					t.Error("the result on four processors is not that on one")
				}
				got := reaches(t, one)
				for i, c := range conditionsOf(form) {
					if want[i] == 0 || got["bench/"+c.name] != want[i] {
						t.Errorf("%s reaches %d accounts, the yardstick counts %d", c.name, got["bench/"+c.name], want[i])
					}
				}
			})
		}
	}
}

func checked(t *testing.T, folder, jobs string) []byte {
	t.Helper()
	out := filepath.Join(folder, "result-"+jobs+".json")
	c := tooltest.Command("", "check", "--estate", folder, "--format", "json", "--out", out, "--jobs", jobs)
	text, err := c.CombinedOutput()
	var ended *exec.ExitError
	if !errors.As(err, &ended) || ended.ExitCode() != 1 || len(text) > 0 {
		t.Fatalf("%v\n%s", err, text)
	}
	data, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

func reaches(t *testing.T, data []byte) map[string]int {
	t.Helper()
	var result struct {
		Findings []struct {
			Rule  string
			Reach struct{ Accounts int }
		}
	}
	if err := json.Unmarshal(data, &result); err != nil {
		t.Fatal(err)
	}
	counts := map[string]int{}
	for _, f := range result.Findings {
		counts[f.Rule] += f.Reach.Accounts
	}
	return counts
}

// TestMutants: what happens to exports on their way never makes anything better
// without a word; more with "go run ./bench mutate".
func TestMutants(t *testing.T) {
	count := 150
	if testing.Short() { // under the race detector
		count = 20
	}
	if err := mutate(count, 11); err != nil {
		t.Error(err)
	}
}

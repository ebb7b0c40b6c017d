package main

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"time"

	"yewcone/cli/tooltest"
)

// cost is what one command took.
type cost struct {
	wall, cpu time.Duration
	peak      int64 // kilobytes resident, as Linux counts them
}

// measure times the program and the yardstick in turn on every form and
// shape, and prints the medians and the median of the paired ratios.
func measure(folder string, rows, times int) error {
	program, err := built(folder)
	if err != nil {
		return err
	}
	own, err := os.Executable()
	if err != nil {
		return err
	}
	fmt.Println("| form | shape | MB | check wall s | cpu s | peak MB | yardstick wall s | cpu s | wall ratio | cpu ratio | reading alone, wall s |")
	fmt.Println("|---|---|---|---|---|---|---|---|---|---|---|")
	for _, form := range []string{"csv", "ndjson", "ldif", "directory", "parquet"} {
		for _, shape := range shapes[form] {
			place := filepath.Join(folder, form)
			if err := prepare(place, form, shape, rows); err != nil {
				return err
			}
			file := filepath.Join(place, "accounts."+form)
			size, err := os.Stat(file)
			if err != nil {
				return err
			}
			var ours, theirs, alone []cost
			var wall, cpu []float64
			for range times {
				a, err := timed(program, "check", "--estate", place, "--format", "json", "--out", filepath.Join(place, "result.json"))
				if err != nil {
					return err
				}
				b, err := timed(own, "yardstick", form, file)
				if err != nil {
					return err
				}
				r, err := timed("cat", file)
				if err != nil {
					return err
				}
				ours, theirs, alone = append(ours, a), append(theirs, b), append(alone, r)
				wall, cpu = append(wall, float64(a.wall)/float64(b.wall)), append(cpu, float64(a.cpu)/float64(b.cpu))
			}
			a, b := median(ours), median(theirs)
			fmt.Printf("| %s | %s | %d | %.2f | %.2f | %d | %.2f | %.2f | %s | %s | %.2f |\n", form, shape, size.Size()>>20,
				a.wall.Seconds(), a.cpu.Seconds(), a.peak>>10, b.wall.Seconds(), b.cpu.Seconds(), quoted(wall), quoted(cpu), median(alone).wall.Seconds())
		}
	}
	return nil
}

// timed runs a command; findings are no failure.
func timed(name string, args ...string) (cost, error) {
	c := exec.Command(name, args...)
	c.Stderr = os.Stderr
	began := time.Now()
	err := c.Run()
	var ended *exec.ExitError
	if err != nil && !(errors.As(err, &ended) && ended.ExitCode() == 1) {
		return cost{}, err
	}
	state := c.ProcessState
	out := cost{wall: time.Since(began), cpu: state.UserTime() + state.SystemTime()}
	out.peak, _ = tooltest.Peak(state)
	return out, nil
}

func median(list []cost) cost {
	slices.SortFunc(list, func(a, b cost) int { return cmp.Compare(a.wall, b.wall) })
	return list[len(list)/2]
}

// quoted is the median of paired ratios, where it may be quoted: the middle half of
// them lies within a third of it.
func quoted(ratios []float64) string {
	m := middle(ratios)
	low, high := ratios[len(ratios)/4], ratios[len(ratios)-1-len(ratios)/4]
	if high-low > m/3 {
		return fmt.Sprintf("not quoted: %.2f to %.2f", low, high)
	}
	return fmt.Sprintf("%.2f", m)
}

func middle(list []float64) float64 {
	slices.Sort(list)
	return list[len(list)/2]
}

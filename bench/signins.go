package main

import (
	"bufio"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"time"
)

// generateSignIns writes a record of OpenSSH's lines in which so many names and
// as many addresses fail and come in, and an estate around it that knows every
// second name.
func generateSignIns(folder string, lines, names int) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	estate := "estate: Bench\nas_of: 2026-11-20\nsystems:\n  host:\n    title: Host\n    export: {read: mapping, from: ., mapping: map.yaml}\n" +
		"    known: {lockout_attempts: 5, lockout_window: 15 minutes, lockout_duration: 30 minutes}\n    signins: {read: sshd, from: auth.log}\n"
	mapping := "mapping: Bench\nyes: Y\nno: N\naccounts:\n  - file: users.csv\n    take: {login: name, enabled: \"on\"}\n    fixed: {password_usable: yes}\n"
	for name, text := range map[string]string{"estate.yaml": estate, "map.yaml": mapping} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
			return err
		}
	}
	if err := written(filepath.Join(folder, "users.csv"), func(w *bufio.Writer) {
		fmt.Fprintln(w, "name,on")
		for i := 0; i < names; i += 2 {
			fmt.Fprintf(w, "user%07d,Y\n", i)
		}
	}); err != nil {
		return err
	}
	return written(filepath.Join(folder, "auth.log"), func(w *bufio.Writer) {
		at, state := time.Date(2026, 10, 1, 0, 0, 0, 0, time.UTC), uint64(1)
		next := func(n int) int { // a linear congruence (Knuth, TAOCP 3.3.4)
			state = state*6364136223846793005 + 1442695040888963407
			return int(state >> 33 % uint64(n))
		}
		step := 45 * 24 * time.Hour / time.Duration(lines)
		for range lines {
			at = at.Add(step)
			stamp, name, address := at.Format(time.Stamp), next(names), next(names)
			pid, port := 1000+next(60000), 1024+next(60000)
			what := "Failed"
			if next(4) == 0 {
				what = "Accepted"
			}
			fmt.Fprintf(w, "%s host sshd[%d]: %s password for user%07d from 10.%d.%d.%d port %d ssh2\n", stamp, pid, what, name, address>>16, address>>8&255, address&255, port)
		}
	})
}

func written(path string, write func(*bufio.Writer)) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	defer f.Close()
	w := bufio.NewWriterSize(f, 1<<20)
	write(w)
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Close()
}

// sameCount is the same count as a line of awk: failures and sign-ins by name and by
// address.
const sameCount = `$6=="Failed"{f[$9]++; s[$11]++} $6=="Accepted"{a[$9]++; t[$11]++} END{for(x in f)n+=f[x]; for(x in s)m+=s[x]; print n, m, length(f), length(s)}`

// measureSignIns times a replay, mawk and a plain count of lines in turn.
func measureSignIns(folder string, lines, names, times int) error {
	program, err := built(folder)
	if err != nil {
		return err
	}
	if err := generateSignIns(folder, lines, names); err != nil {
		return err
	}
	file := filepath.Join(folder, "auth.log")
	commands := [][]string{{program, "replay", "--estate", folder, "--out", filepath.Join(folder, "replay.txt"), "host"}, {"mawk", sameCount, file},
		{"wc", "-l", file}}
	costs, ratios := make([][]cost, len(commands)), make([][]float64, len(commands))
	for range times {
		for i, c := range commands {
			took, err := timed(c[0], c[1:]...)
			if err != nil {
				return fmt.Errorf("%s: %w", c[0], err)
			}
			costs[i] = append(costs[i], took)
			ratios[i] = append(ratios[i], float64(took.wall)/float64(costs[0][len(costs[0])-1].wall))
		}
	}
	fmt.Println("| command | wall s | cpu s | peak MB | wall, over the replay's |")
	fmt.Println("|---|---|---|---|---|")
	for i, name := range []string{"replay", "mawk", "wc -l"} {
		c := median(costs[i])
		fmt.Printf("| %s | %.2f | %.2f | %d | %.2f |\n", name, c.wall.Seconds(), c.cpu.Seconds(), c.peak>>10, middle(ratios[i]))
	}
	return nil
}

// built builds the program into a folder.
func built(folder string) (string, error) {
	program := filepath.Join(folder, "yewcone")
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return "", err
	}
	build := exec.Command("go", "build", "-o", program, "./cmd/yewcone")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		return "", fmt.Errorf("%w: %s", err, out)
	}
	return program, nil
}

// numbers reads arguments that are numbers.
func numbers(args []string) ([]int, error) {
	var list []int
	for _, a := range args {
		n, err := strconv.Atoi(a)
		if err != nil {
			return nil, err
		}
		list = append(list, n)
	}
	return list, nil
}

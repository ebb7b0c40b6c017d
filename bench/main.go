// Command bench makes account exports of any size, counts twelve conditions
// in them as a small program on the standard library would, and times the
// built program beside it.
//
//	go run ./bench generate csv clean 1000000 FOLDER
//	go run ./bench yardstick csv FILE
//	go run ./bench measure FOLDER 1000000 5
//	go run ./bench mutate 2000 1
//	go run ./bench signins FOLDER 8000000 500000 3
//	go run ./bench people FOLDER 1000000 8 3
package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
)

func main() {
	if err := run(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func run(args []string) error {
	switch {
	case len(args) == 5 && args[0] == "generate":
		n, err := numbers(args[3:4])
		if err != nil {
			return err
		}
		return prepare(args[4], args[1], args[2], n[0])
	case len(args) == 3 && args[0] == "yardstick":
		c, err := count(args[2], args[1])
		if err != nil {
			return err
		}
		c.print(os.Stdout, conditionsOf(args[1]))
		return nil
	case len(args) == 4 && args[0] == "measure":
		n, err := numbers(args[2:])
		if err != nil {
			return err
		}
		return measure(args[1], n[0], n[1])
	case len(args) == 5 && args[0] == "people":
		n, err := numbers(args[2:])
		if err != nil {
			return err
		}
		return measurePeople(args[1], n[0], n[1], n[2])
	case len(args) == 5 && args[0] == "signins":
		n, err := numbers(args[2:])
		if err != nil {
			return err
		}
		return measureSignIns(args[1], n[0], n[1], n[2])
	}
	if len(args) == 3 && args[0] == "mutate" {
		n, err := numbers(args[1:])
		if err != nil {
			return err
		}
		return mutate(n[0], uint64(n[1]))
	}
	return errors.New("usage: generate FORM SHAPE ROWS FOLDER | yardstick FORM FILE | measure FOLDER ROWS TIMES | signins FOLDER LINES NAMES TIMES | mutate COUNT SEED")
}

// prepare writes an export and an estate around it into a folder.
func prepare(folder, form, shape string, rows int) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	file := "accounts." + form
	if err := writeEstate(folder, file, form, shape); err != nil {
		return err
	}
	return generate(filepath.Join(folder, file), form, shape, rows)
}

// Package intaketest reads exports that tests write, and tells what they say in
// texts.
package intaketest

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/snapshot"
	"yewcone/intake"
)

// AsOf is the moment that the exports speak for.
var AsOf = time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC)

// Read reads an export of some files, and returns what it says: by "policy
// NAME: setting" and "account LOGIN: fact", own settings of an account by
// "account LOGIN: own setting". What is not known is not there.
func Read(t testing.TB, f intake.Format, from []string, files map[string]string) (said map[string]string, notes *facts.Notes) {
	t.Helper()
	export, err := f.Open(&intake.Request{System: "x", Folder: Write(t, files), From: from, AsOf: AsOf})
	if err != nil {
		t.Fatal(err)
	}
	return Said(t, export), export.Notes()
}

// Write writes files into a folder of the test's own.
func Write(t testing.TB, files map[string]string) (folder string) {
	t.Helper()
	folder = t.TempDir()
	for name, text := range files {
		path := filepath.Join(folder, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return folder
}

// Said reads an export to its end.
func Said(t testing.TB, export facts.Export) map[string]string {
	t.Helper()
	said := map[string]string{}
	system := export.System()
	for policy := range system.AllPolicies {
		p := snapshot.OfPolicy(policy)
		if policy.Parent != "" {
			said["policy "+p.Name+": parent"] = policy.Parent
		}
		if policy.Unit != "" {
			said["policy "+p.Name+": unit"] = policy.Unit
		}
		for _, v := range p.Settings {
			if v.Value == "unknown" {
				continue
			}
			said["policy "+p.Name+": "+v.Setting] = v.Value
		}
	}
	var a snapshot.Account
	err := export.Accounts(func(x *facts.Account) error {
		snapshot.OfAccount(&a, x)
		data, err := json.Marshal(&a)
		if err != nil {
			return err
		}
		for name, value := range Facts(data) {
			said["account "+a.Login+": "+name] = value
		}
		said["account "+a.Login+": is there"] = "yes"
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return said
}

// Derive is Read, and what follows from it for each account: whether its
// password is overdue and whether it is shut, as yes or no.
func Derive(t testing.TB, f intake.Format, from []string, files map[string]string) map[string]string {
	t.Helper()
	said, _ := Read(t, f, from, files)
	export, err := f.Open(&intake.Request{System: "x", Folder: Write(t, files), From: from, AsOf: AsOf})
	if err != nil {
		t.Fatal(err)
	}
	resolver := effective.NewResolver(export.System())
	err = export.Accounts(func(a *facts.Account) error {
		var d facts.Derived
		settings := resolver.For(a)
		effective.SettleLock(a, settings, export.System())
		effective.DatesOf(&d, a, settings, export.System(), 0)
		said["account "+a.Login+": overdue"], said["account "+a.Login+": shut"] = d.Overdue.String(), d.Shut.String()
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return said
}

// Facts takes an account of a snapshot apart, its own settings by "own NAME".
func Facts(account []byte) map[string]string {
	var fields map[string]any
	if json.Unmarshal(account, &fields) != nil {
		return nil
	}
	said := map[string]string{}
	for name, value := range fields {
		if own, ok := value.([]any); ok && name == "settings" {
			for _, o := range own {
				o := o.(map[string]any)
				if value := fmt.Sprint(o["value"]); value != "unknown" {
					said[fmt.Sprint("own ", o["setting"])] = value
				}
			}
			continue
		}
		if name != "policy_open" { // it tells what is not known
			said[name] = fmt.Sprint(value)
		}
	}
	return said
}

// Hold compares what was read with what must be; "" stands for unknown.
func Hold(t testing.TB, what string, said map[string]string, want map[string]string) {
	t.Helper()
	for name, value := range want {
		if said[name] != value {
			t.Errorf("%s: %s is %q, expected %q", what, name, said[name], value)
		}
	}
}

package formats

import (
	"os"
	"path/filepath"
	"testing"

	"yewcone/intake"
)

// fuzzOneFile fuzzes one file of an export whose other files stay as they
// were captured. Seeds are the file itself, and its beginning.
func fuzzOneFile(f *testing.F, format, folder string, from []string, file string, others ...string) {
	data, err := os.ReadFile(filepath.Join(folder, file))
	if err != nil {
		f.Fatal(err)
	}
	f.Add(data)
	f.Add(data[:len(data)/3])
	around := map[string][]byte{}
	for _, name := range others {
		text, err := os.ReadFile(filepath.Join(folder, name))
		if err != nil {
			f.Fatal(err)
		}
		if filepath.Ext(name) == ".yaml" {
			name = "mapping.yaml"
		}
		around[name] = text
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		place := t.TempDir()
		for name, text := range around {
			write(t, filepath.Join(place, name), text)
		}
		write(t, filepath.Join(place, file), data)
		readAll(t, format, &intake.Request{Folder: place, From: from, Mapping: "mapping.yaml"})
	})
}

func FuzzSamba(f *testing.F) {
	fuzzOneFile(f, "samba", "../../cli/testdata/truth/samba", []string{"domain.ldif", "pso.ldif", "accounts.ldif"},
		"pso.ldif", "domain.ldif", "accounts.ldif")
}

func FuzzPostgreSQL(f *testing.F) {
	fuzzOneFile(f, "postgresql", "../../cli/testdata/truth/postgresql", []string{"."}, "authid.csv", "auth_members.csv",
		"settings.csv", "hba_file_rules.csv")
}

func FuzzMariaDB(f *testing.F) {
	fuzzOneFile(f, "mariadb", "../../cli/testdata/truth/mariadb", []string{"."}, "global_priv.tsv", "plugins.tsv",
		"variables.tsv", "roles_mapping.tsv")
}

func FuzzKerberosPolicies(f *testing.F) {
	fuzzOneFile(f, "kerberos", "../../cli/testdata/truth/kerberos", []string{"."}, "getpol.txt", "getprinc.txt")
}

func FuzzKerberosPrincipals(f *testing.F) {
	fuzzOneFile(f, "kerberos", "../../cli/testdata/truth/kerberos", []string{"."}, "getprinc.txt", "getpol.txt")
}

func FuzzJSONDocument(f *testing.F) {
	fuzzOneFile(f, "mapping", "../../demo/estate/exports/gangway", []string{"."}, "gangway-1.json", "../../mappings/gangway.yaml")
}

// fuzzMapped fuzzes a file that one short mapping reads.
func fuzzMapped(f *testing.F, file, mapping string, seeds ...string) {
	for _, s := range seeds {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		folder := t.TempDir()
		write(t, filepath.Join(folder, file), data)
		write(t, filepath.Join(folder, "m.yaml"), []byte(mapping))
		readAll(t, "mapping", &intake.Request{Folder: folder, From: []string{file}, Mapping: "m.yaml"})
	})
}

func FuzzXML(f *testing.F) {
	fuzzMapped(f, "a.xml", "mapping: m\ndates: iso 8601\naccounts:\n  - {file: a.xml, rows: u/p, take: {login: \"@id\", "+
		"display_name: ., created: a/b, groups: g}}\n",
		`<u><p id="a">x<a><b>2026-01-01</b></a><g>1</g><g>2</g></p></u>`,
		`<?xml version="1.0"?><!DOCTYPE u [<!ENTITY e "&e;&e;">]><u><p id="a">&e;</p></u>`, "<u><p><p><p>")
}

func FuzzMappedLDIF(f *testing.F) {
	fuzzMapped(f, "a.ldif", "mapping: m\ndates: generalized time\naccounts:\n  - {file: a.ldif, rows: p, take: {login: dn, "+
		"created: c, groups: g}}\n",
		"dn: a\nobjectClass: p\nc: 20260101000000Z\ng: 1\ng:: Mg==\n\n", "dn: a\n b\n\n\ndn: x\ndn: y\n\n")
}

func FuzzSnapshot(f *testing.F) {
	f.Add([]byte(`{"snapshot":{"version":1,"name":"s","chooses":"single"}}` + "\n" +
		`{"policy":{"name":"p","settings":[{"setting":"max_age","value":"90 days"}]}}` + "\n" +
		`{"account":{"login":"a","failures":3,"settings":[{"setting":"history","value":"never"}]}}` + "\n" +
		`{"end":{"policies":1,"accounts":1}}` + "\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		folder := t.TempDir()
		write(t, filepath.Join(folder, "s.jsonl"), data)
		readAll(t, "snapshot", &intake.Request{Folder: folder, From: []string{"s.jsonl"}})
	})
}

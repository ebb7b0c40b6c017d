package mapping

import (
	"testing"

	"yewcone/intake"
	"yewcone/intake/intaketest"
)

// TestElseAnswersForWordsOnly: what is missing, null or empty is no other word;
// and an attribute that the whole export leaves out answers nothing, whatever
// its absence would mean.
func TestElseAnswersForWordsOnly(t *testing.T) {
	const top = "mapping: m\nyes: [\"y\"]\nno: [\"n\"]\naccounts:\n"
	for _, c := range []struct{ what, mapping, file, text, locked string }{
		{"LDIF without the attribute", "  - {file: a.ldif, rows: person, take: {login: uid, locked: {from: lockedTime, " +
			"empty: no, else: yes}}}\n",
			"a.ldif", "dn: uid=ada,dc=x\nobjectClass: person\nuid: ada\n\n", ""},
		{"LDIF, absence said to mean no, and nobody has it",
			"  - {file: a.ldif, rows: person, take: {login: uid, locked: {from: lockedTime, no: \"\", else: yes}}}\n",
			"a.ldif", "dn: uid=ada,dc=x\nobjectClass: person\nuid: ada\n\n", ""},
		{"LDIF, absence said to mean no, and another has it",
			"  - {file: a.ldif, rows: person, take: {login: uid, locked: {from: lockedTime, no: \"\", else: yes}}}\n",
			"a.ldif", "dn: uid=ada,dc=x\nobjectClass: person\nuid: ada\n\ndn: uid=bo,dc=x\nobjectClass: person\nuid: " +
				"bo\nlockedTime: 1\n\n", "false"},
		{"JSON null", "  - {file: a.json, rows: \"$[*]\", take: {login: $.uid, locked: {from: $.state, no: none, else: yes}}}\n", "a.json",
			`[{"uid": "ada", "state": null}]`, ""},
		{"JSON without the member", "  - {file: a.json, rows: \"$[*]\", take: {login: $.uid, locked: {from: $.state, no: " +
			"none, else: yes}}}\n", "a.json",
			`[{"uid": "ada"}, {"uid": "bo", "state": "x"}]`, ""},
		{"JSON that leaves out what is empty",
			"  - {file: a.json, rows: \"$[*]\", take: {login: $.uid, locked: {from: $.state, no: \"\", else: yes, missing: " +
				"empty}}}\n", "a.json",
			`[{"uid": "ada"}, {"uid": "bo", "state": "x"}]`, "false"},
		{"JSON of which nobody has it",
			"  - {file: a.json, rows: \"$[*]\", take: {login: $.uid, locked: {from: $.state, no: \"\", else: yes, missing: " +
				"empty}}}\n", "a.json",
			`[{"uid": "ada"}, {"uid": "bo"}]`, ""},
		{"CSV, empty", "  - {file: a.csv, take: {login: uid, locked: {from: state, no: none, else: yes}}}\n", "a.csv",
			"uid,state\nada,\n", ""},
		{"CSV, another word", "  - {file: a.csv, take: {login: uid, locked: {from: state, no: none, else: yes}}}\n",
			"a.csv", "uid,state\nada,x\n", "true"},
	} {
		folder := intaketest.Write(t, map[string]string{"m.yaml": top + c.mapping, c.file: c.text})
		export, err := Format.Open(&intake.Request{System: "x", Folder: folder, From: []string{"."}, Mapping: "m.yaml",
			AsOf: intaketest.AsOf})
		if err != nil {
			t.Errorf("%s: %v", c.what, err)
			continue
		}
		intaketest.Hold(t, c.what, intaketest.Said(t, export), map[string]string{"account ada: is there": "yes",
			"account ada: locked": c.locked})
	}
}

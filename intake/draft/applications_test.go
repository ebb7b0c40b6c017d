package draft

import (
	"fmt"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/intaketest"
	"yewcone/intake/mapping"
)

// An application is exports of a kind that the project has not seen, what its
// administrator writes into the draft, and what is then true.
type application struct {
	name  string
	files map[string]string
	order []string
	edits [][2]string
	truth map[string]string
}

var applications = []application{
	{"a shipyard's list in German", map[string]string{
		"einstellungen.csv": "Einstellung;Wert\nMindestlänge;8\nHöchstalter (Tage);90\nAblauf " +
			"eingeschaltet;nein\nFehlversuche bis Sperre;0\n" +
			"Sperrdauer;00:30:00\nKennwort-Historie;alle\n",
		"benutzer.csv": "Werft Quay - Benutzerliste\n\nBenutzername;Vollständiger Name;Rolle;Aktiv;Gesperrt;Kennwort " +
			"geändert;Letzte Anmeldung;Kennwort-Hash\n" +
			"akaer;Åmund Kær;Deck;ja;nein;03.03.2026;23.11.2026 05:00;pbkdf2_sha256$600000$c2FsdA$AAAA\n" +
			"bquill;Bea Quill;Brücke;ja;ja;;;pbkdf2_sha256$600000$c2FsdB$BBBB\n" +
			"cstern;Cy Stern;Deck;nein;nein;04.05.2026;01.11.2026 05:00;{SSHA256}CCCC\n"},
		[]string{"einstellungen.csv", "benutzer.csv"},
		[][2]string{
			{"max_age: {from: Höchstalter (Tage), unit: days}",
				"max_age: {from: Höchstalter (Tage), unit: days, only_if: {from: Ablauf eingeschaltet, otherwise: never}}"},
			{"lockout_attempts: Fehlversuche bis Sperre", "lockout_attempts: {from: Fehlversuche bis Sperre, zero: never}"},
			{"history: Kennwort-Historie", "history: {from: Kennwort-Historie, words: {alle: all}}"},
			{"password_set: Kennwort geändert", "password_set: {from: Kennwort geändert, empty: never}"},
			{"last_sign_in: {from: Letzte Anmeldung,", "last_sign_in: {from: Letzte Anmeldung, empty: never,"},
			{"# ?: Kennwort-Hash", "stored_value: Kennwort-Hash"},
		},
		map[string]string{
			"policy general: min_length": "8", "policy general: max_age": "never", "policy general: lockout_attempts": "never",
			"policy general: lockout_duration": "30 minutes", "policy general: history": "all",
			"account akaer: display_name": "Åmund Kær", "account akaer: roles": "[Deck]", "account akaer: enabled": "true",
			"account akaer: locked": "false", "account akaer: password_set": "2026-03-03", "account akaer: storage": "salted slow",
			"account bquill: locked": "true", "account bquill: password_set": "never", "account bquill: last_sign_in": "never",
			"account cstern: enabled": "false", "account cstern: storage": "salted fast",
			"account cstern: last_sign_in": "2026-11-01T05:00:00Z",
			"account akaer: overdue":       "no",
		}},
	{"a booking service in French", map[string]string{
		"reglages.json": `{"export": "2026-11-23T06:00:00Z", "mot de passe": {"longueur minimale": 10, "durée de validité": "P0D", "historique": 4},
 "verrouillage": {"tentatives": 6, "durée du verrouillage minutes": 15}}`,
		"comptes.json": `{"comptes": [
 {"identifiant": "amund", "courriel": "amund@marrowby.example", "rôles": ["pont"], "actif": true, "dernière connexion": "2026-11-20T08:00:00Z", "secret": "$2b$12$aaaa"},
 {"identifiant": "bea", "courriel": "bea@marrowby.example", "rôles": [], "actif": false, "dernière connexion": null, "secret": "$2b$12$bbbb"},
 {"identifiant": "cyril", "courriel": "cyril@marrowby.example", "actif": true, "secret": "$2b$12$cccc"}]}`},
		[]string{"reglages.json", "comptes.json"},
		[][2]string{
			{"max_age: \"$['mot de passe']['durée de validité']\"",
				"max_age: {from: \"$['mot de passe']['durée de validité']\", zero: never}"},
			{"last_sign_in: \"$['dernière connexion']\"", "last_sign_in: {from: \"$['dernière connexion']\", null: never}"},
			{"# ?: $.secret", "stored_value: $.secret"},
		},
		map[string]string{
			"policy general: min_length": "10", "policy general: max_age": "never", "policy general: history": "4",
			"policy general: lockout_attempts": "6", "policy general: lockout_duration": "15 minutes",
			"account amund: email": "amund@marrowby.example", "account amund: roles": "[pont]", "account amund: enabled": "true",
			"account amund: last_sign_in": "2026-11-20T08:00:00Z", "account amund: storage": "salted slow",
			"account bea: roles": "[]", "account bea: enabled": "false", "account bea: last_sign_in": "never",
			"account cyril: roles": "", "account cyril: last_sign_in": "", // not there, and nothing says what that means
		}},
	{"a ticket office with tiers", map[string]string{
		"tiers.tsv": "Tier\tPassword lasts (days)\tExpiry on\tShortest password\tWrong passwords before " +
			"lock\nClerk\t90\t1\t8\t5\nGuest\t90\t0\t6\t0\n",
		"people.tsv": "User name\tTier\tSwitched off\tPassword changed\tLast " +
			"sign-in\nann\tClerk\tN\t1793637900\t0\nben\tGuest\tY\t1783637900\t-1\n" +
			"cat\tClerk\tN\t1790637900\t1793637900\n"},
		[]string{"tiers.tsv", "people.tsv"},
		[][2]string{
			{"max_age: {from: Password lasts (days), unit: days}",
				"max_age: {from: Password lasts (days), unit: days, only_if: {from: Expiry on, yes: \"1\", no: \"0\", " +
					"otherwise: never}}"},
			{"lockout_attempts: Wrong passwords before lock", "lockout_attempts: {from: Wrong passwords before lock, zero: never}"},
			{"# ?: Tier", "roles: Tier"},
			{"last_sign_in: Last sign-in", "last_sign_in: {from: Last sign-in, zero: never, words: {\"-1\": never}}"},
		},
		map[string]string{
			"policy Clerk: max_age": "90 days", "policy Guest: max_age": "never", "policy Clerk: min_length": "8",
			"policy Guest: lockout_attempts": "never",
			"account ann: roles":             "[Clerk]", "account ann: last_sign_in": "never", "account ben: last_sign_in": "never",
			"account ben: enabled":      "false",
			"account cat: last_sign_in": "2026-11-02T16:45:00Z", "account cat: password_set": "2026-09-28T23:25:00Z",
			"account ann: overdue": "no",
		}},
	{"a depot in Spanish", map[string]string{
		"politicas.xml": "<?xml version=\"1.0\"?><deposito><politicas>" +
			"<politica><perfil>Oficina</perfil><nivel>Fuerte</nivel><longitud_mínima>12</longitud_mínima><caduca>sí</caduca>" +
			"<vigencia>12 semanas</vigencia><intentos>5</intentos><duración_del_bloqueo>1,5 horas</duración_del_bloqueo></politica>" +
			"<politica><perfil>Muelle</perfil><nivel>Simple</nivel><longitud_mínima>8</longitud_mínima><caduca>no</caduca>" +
			"<vigencia>12 semanas</vigencia><intentos>0</intentos><duración_del_bloqueo>0,5 horas</duración_del_bloqueo></politica>" +
			"</politicas></deposito>\n",
		"cuentas.xml": "<?xml version=\"1.0\"?><deposito><cuentas>" +
			"<cuenta usuario=\"ana\"><correo>ana@marrowby.example</correo><perfil>Oficina</perfil><bloqueado>no</bloqueado>" +
			"<último_acceso>20 nov 2026</último_acceso><creado>05 ene 2026</creado><clave>$6$xyz$AAAA</clave></cuenta>" +
			"<cuenta usuario=\"beto\"><correo>beto@marrowby.example</correo><perfil>Muelle</perfil><bloqueado>sí</bloqueado>" +
			"<último_acceso/><creado>05 feb 2026</creado><clave>{SSHA256}AAAA</clave></cuenta>" +
			"<cuenta usuario=\"carla\"><correo>carla@marrowby.example</correo><perfil>Oficina</perfil><bloqueado>no</bloqueado>" +
			"<último_acceso>01 ago 2026</último_acceso><creado>05 mar 2026</creado><clave>AAAA</clave></cuenta>" +
			"</cuentas></deposito>\n"},
		[]string{"politicas.xml", "cuentas.xml"},
		[][2]string{
			{"decimal: comma", "decimal: comma\npresets: {Fuerte: {history: 6}, Simple: {history: none}}"},
			{"    roles: perfil                # likely", "    roles: perfil\n    preset: nivel"},
			{"lockout_attempts: intentos", "lockout_attempts: {from: intentos, zero: never}"},
			{"max_age: {from: vigencia, unit: weeks}", "max_age: {from: vigencia, only_if: {from: caduca, otherwise: never}}"},
			{"# ?: clave", "stored_value: clave"},
			{"# ?: perfil", "roles: perfil"},
			{"last_sign_in: último_acceso", "last_sign_in: {from: último_acceso, empty: never}"},
		},
		map[string]string{
			"policy Oficina: min_length": "12", "policy Oficina: history": "6", "policy Muelle: history": "none",
			"policy Oficina: max_age": "84 days", "policy Muelle: max_age": "never",
			"policy Oficina: lockout_attempts": "5", "policy Muelle: lockout_attempts": "never",
			"policy Oficina: lockout_duration": "1 hour 30 minutes", "policy Muelle: lockout_duration": "30 minutes",
			"account ana: email": "ana@marrowby.example", "account ana: locked": "false", "account beto: locked": "true",
			"account ana: roles": "[Oficina]", "account ana: last_sign_in": "2026-11-20", "account beto: last_sign_in": "never",
			"account carla: created": "2026-03-05", "account ana: storage": "salted slow", "account carla: storage": "",
		}},
	{"a lock controller's print", map[string]string{
		"shown.txt": "minimum length      6\nmaximum length      8\nwrong codes before lock  3\nlock lasts minutes  15\n" +
			"longest lock  04:00:00\ncode age days  183\nages on  0\ncodes remembered  all\n",
		"holders.txt": "Holders of today, 23 Nov 2026\n\nUser name  Full name   Active  Code changed   Last used\n" +
			"---------  ----------  ------  -------------  -------------\n" +
			"11         Ann Quill   yes     as delivered   Nov 20 2026\n12         Bo Ferrer   no      Jan 05 2026\n" +
			"13         Cy Winch    yes     Feb 11 2026    Nov 21 2026\n"},
		[]string{"shown.txt", "holders.txt"},
		[][2]string{
			{"history: codes remembered", "history: {from: codes remembered, words: {all: all}}"},
			{"max_age: {from: code age days, unit: days}", "max_age: {from: code age days, unit: days, only_if: {from: ages on, yes: \"1\", " +
				"no: \"0\", otherwise: never}}"},
			{"password_set: Code changed", "as_delivered: {from: Code changed, yes: as delivered}\n      " +
				"password_set: {from: Code changed, words: {as delivered: never}}"},
			{"last_sign_in: Last used", "last_sign_in: {from: Last used, empty: never}"},
			{"    take:\n      login", "    fixed: {roles: Holders}\n    take:\n      login"},
		},
		map[string]string{"policy general: min_length": "6", "policy general: max_length": "8", "policy general: lockout_attempts": "3",
			"policy general: lockout_duration": "15 minutes", "policy general: lockout_longest": "4 hours",
			"policy general: max_age": "never", "policy general: history": "all",
			"account 11: display_name": "Ann Quill", "account 12: enabled": "false", "account 11: roles": "[Holders]",
			"account 11: password_set": "never", "account 12: password_set": "2026-01-05", "account 11: as_delivered": "true",
			"account 13: as_delivered": "",
			"account 12: last_sign_in": "never", "account 13: last_sign_in": "2026-11-21"}},
}

// ships is a workbook that counts days from 1904, with titles above its
// headings, settings in words and a row of sums.
func ships(t *testing.T) string {
	t.Helper()
	book := excelize.NewFile()
	defer book.Close()
	from1904 := true
	if err := book.SetWorkbookProps(&excelize.WorkbookPropsOptions{Date1904: &from1904}); err != nil {
		t.Fatal(err)
	}
	fill := func(sheet string, rows [][]any) {
		for i, row := range rows {
			if err := book.SetSheetRow(sheet, fmt.Sprintf("A%d", i+1), &row); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := book.SetSheetName("Sheet1", "Levels"); err != nil {
		t.Fatal(err)
	}
	if _, err := book.NewSheet("Crew"); err != nil {
		t.Fatal(err)
	}
	fill("Levels", [][]any{{"Group", "Protection", "Minimum length of passwords"}, {"Bridge", "Strong", 12}, {"Galley", "Simple", 6}})
	fill("Crew", [][]any{{"Crew of the Petrel"}, {}, {"Sign-in", "Group", "Locked", "Password set", "Valid to"},
		{"akaer", "Bridge", "no", 44887.25, ""}, {"bquill", "Galley", "yes", 44800, 44888}, {"cstern", "Bridge", "no", 44700.5, 44880}})
	data, err := book.WriteToBuffer()
	if err != nil {
		t.Fatal(err)
	}
	return data.String()
}

// TestApplications: drafts of applications, edited, say what is true; nothing
// in a draft is a value of a column that it does not understand.
func TestApplications(t *testing.T) {
	petrel := application{"a ship's workbook of the other date system", map[string]string{"ships.xlsx": ships(t)}, []string{"ships.xlsx"},
		[][2]string{
			{"dates: spreadsheet days", "dates: spreadsheet days\npresets: {Strong: {max_age: 90 days, history: 4}, Simple: " +
				"{max_age: never, history: none}}"},
			{"    roles: Group                # likely", "    roles: Group\n    preset: Protection"},
			{"account_ends: Valid to", "account_ends: {from: Valid to, empty: never}"},
		},
		map[string]string{
			"policy Bridge: min_length": "12", "policy Bridge: max_age": "90 days", "policy Galley: history": "none",
			"policy Galley: max_age":      "never",
			"account akaer: password_set": "2026-11-23T06:00:00Z", "account bquill: password_set": "2026-08-28",
			"account akaer: account_ends":  "never",
			"account bquill: account_ends": "2026-11-24", "account cstern: enabled": "false", "account bquill: locked": "true",
			"account akaer: overdue": "no", "account bquill: overdue": "no", "account cstern: overdue": "yes",
		}}
	for _, a := range append(applications, petrel) {
		t.Run(a.name, func(t *testing.T) {
			folder := intaketest.Write(t, a.files)
			text, err := Of(&intake.Request{Folder: folder, From: a.order})
			if err != nil {
				t.Fatal(err)
			}
			for _, secret := range []string{"$2b$", "pbkdf2", "SSHA256", "AAAA"} {
				if strings.Contains(text, secret) {
					t.Errorf("the draft shows %q", secret)
				}
			}
			for _, e := range a.edits {
				if !strings.Contains(text, e[0]) {
					t.Errorf("the draft has no line %q", e[0])
				}
				text = strings.Replace(text, e[0], e[1], 1)
			}
			files := map[string]string{"m.yaml": text}
			for name, data := range a.files {
				files[name] = data
			}
			format := mapping.Format
			format.Open = func(r *intake.Request) (facts.Export, error) {
				r.Mapping = "m.yaml"
				return mapping.Format.Open(r)
			}
			said := intaketest.Derive(t, format, []string{"."}, files)
			intaketest.Hold(t, a.name, said, a.truth)
			t.Logf("%d edits for %d statements", len(a.edits), len(a.truth))
			if t.Failed() {
				t.Log(text)
			}
		})
	}
}

// TestOrderOfDays: where no date tells days from months, the draft asks.
func TestOrderOfDays(t *testing.T) {
	for second, asked := range map[string]bool{"11/12/2026": true, "23/11/2026": false} {
		folder := intaketest.Write(t, map[string]string{"a.csv": "User name,Password changed,Last sign-in,Locked\nann,01/02/2026,03/04/2026,No\n" +
			"ben,05/06/2026," + second + ",Yes\ncat,07/08/2026,09/10/2026,No\n"})
		text, err := Of(&intake.Request{Folder: folder, From: []string{"a.csv"}})
		if err != nil || !strings.Contains(text, "dates: dd/mm/yyyy") || strings.Contains(text, "or mm/dd/yyyy") != asked {
			t.Errorf("%s: %v\n%s", second, err, text)
		}
	}
}

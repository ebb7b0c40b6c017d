package draft

import (
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"yewcone/core/onuse"
	"yewcone/intake/dateform"
)

// clue ties words of a heading to a setting or fact; the first that matches
// counts. Words begin where a letter case changes, too.
type clue struct {
	name  string
	words *regexp.Regexp
}

// clues are made when a draft is asked for first: they take longer than all else that
// a run begins with.
func clues(lines string) func() []clue {
	return sync.OnceValue(func() (list []clue) {
		for line := range strings.Lines(strings.TrimSpace(lines)) {
			name, pattern, _ := strings.Cut(strings.TrimSpace(line), " ")
			list = append(list, clue{name, regexp.MustCompile(`(?:^| )(?:` + pattern + `)`)})
		}
		return list
	})
}

// settingClues are matched with a heading in small letters, words apart.
var settingClues = clues(`
min_distinct distinct|different (digits|characters)
min_classes (kinds|classes|types) of char|character classes
max_length (longest|maximum|max|most).*(length|characters|password|pin|code)|length max|höchst.*(länge|zeichen)|longueur max|longitud máx
min_length (shortest|minimum|min|fewest|least).*(length|characters|password|pin|code)|length min|mindest.*(länge|zeichen)|longueur min|longitud mín
login_barred (contain|include).*(sign in|user|login) name
common_barred (refuse|bar|block|reject).*(well known|common)
dictionary_barred (refuse|bar|block|reject).*(word|dictionary)|words of a list
min_symbols (needs|require|demand).*(sign|symbol|other|special)
min_digits (needs|require|demand).*(digit|number)
min_upper (needs|require|demand).*(capital|upper)
min_lower (needs|require|demand).*(small|lower)
warn_before (remind|warn|notice)|vorwarn|avertissement|aviso
min_age (smallest|minimum|min|least).*age|must be kept|keep for
max_age (largest|maximum|max|own|password|pin|code).*age|(password|pin) (lasts|life|lifetime)|expires after
max_age gültig.*(dauer|tage)|höchstalter|ablauf nach|durée de validité|validité|vigencia|caduca
history (earlier|old|previous|remembered).*(password|pin|code)|(password|pin|code)s? remembered|history
history same as previous|historie|frühere.*(kennw|passw)|historique|anciens mots|historial|anteriores
lockout_longest (longest|maximum|max) (lock|wait)|längste sperre
lockout_window (count|wrong).*(over|goes back|window)|window|observation|fehlversuche gezählt|zählfenster|ventana
lockout_duration lock(out)? (lasts|ends|minutes|duration|for)|duration minutes|sperr(dauer|zeit)|durée (du verrou|de blocage)|duración del bloqueo
lockout_attempts (wrong|failed|bad).*(before|lock|limit)|tries( |$)|attempts|threshold|wrong tries limit|fehlversuche|tentatives|intentos
change_at_first_use first (password|pin|code)|erstes (kennwort|passwort)|premier mot de passe|primera contraseña
temporary_valid (reset|invitation|recovery).*(works|valid)
idle_timeout idle
session_limit (sign in|session|visit) (lasts|limit|length)|absolute|sitzung (endet|dauer)
dormant_after (unused|not used|inactive).*|inactive days
second_factor two step|second (factor|step)|2fa|mfa
`)

var factClues = clues(`
password_set (password|pin|code).*(changed|set)|(changed|set).*(password|pin)|pin set
password_set (kennwort|passwort).*(geändert|gesetzt)|mot de passe.*(modifi|chang)|contraseña.*(cambi|modific)
never_expires never expires|keeps for ever|password expires$|läuft nie ab|n expire (jamais|pas)|nunca (expira|caduca)|sin caducidad
must_change must change|change.*next|muss.*ändern|doit changer|debe cambiar|cambio pendiente
locked_until locked until
locked_since locked at|locked since|gesperrt seit|verrouillé depuis|bloquead[oa] desde
account_ends valid to|valid until|account ends
last_sign_in last (sign in|login|log in|used|seen|in)( |$|at)|letzte (anmeldung|nutzung)|dernière (connexion|session)|último acceso|última (conexión|sesión)
created (account )?(made|created)|angelegt|erstellt|créé|creado
enabled switched off|active|enabled|disabled|in use|state$|status$|^aktiv|^actif|^activo
locked ^locked$|is locked|^gesperrt$|^verrouill|^bloquead
second_factor two step|second (factor|step)|2fa|mfa|zwei(ter)? faktor|deuxième facteur|double authentification|segundo factor
email e mail|^mail$|email|emails|courriel|correo
roles ^roles?$|^rollen?$|^rôles?$|^rol(es)?$
groups ^groups?( |$)|^gruppen?$|^groupes?$|^grupos?$
unit organi[sz]ation|department|^unit$|^abteilung|^departamento
employee_no employee|staff number|personnel
privileged ^(admin|administrator|master|privileged|superuser)$|^administra$
first_name given name|first name
last_name family name|last name|surname
display_name full name|display name|^name$|^holder$|formatted|vollständiger name|nom complet|nombre completo|^nombre$
login sign in( name)?$|(user|code) name|username|login|^user$|account name|^number$
login ^id$|^benutzer(name|kennung)?$|anmeldename|^identifiant$|^utilisateur$|^usuario$
description note|description|comment
`)

var wordBreaks = onuse.Regexp("([a-z])([A-Z])")

// plainWords turns a heading or path into small words with single spaces.
func plainWords(heading string) string {
	heading = wordBreaks().ReplaceAllString(heading, "$1 $2")
	return strings.Join(strings.FieldsFunc(strings.ToLower(heading), func(r rune) bool {
		return (r < 'a' || r > 'z') && (r < '0' || r > '9') && r < 128
	}), " ")
}

func match(list func() []clue, heading string) string {
	words := plainWords(heading)
	for _, c := range list() {
		if c.words.MatchString(words) {
			return c.name
		}
	}
	return ""
}

var draftForms = []string{"generalized time", "dd/mm/yyyy hh:mm", "dd/mm/yyyy", "mm/dd/yyyy hh:mm", "mm/dd/yyyy",
	"dd.mm.yyyy hh:mm", "dd.mm.yyyy", "yyyy-mm-dd hh:mm:ss", "yyyy-mm-dd hh:mm", "iso 8601", "spreadsheet days",
	"epoch milliseconds", "epoch seconds", "dd mon yyyy", "dd month yyyy", "mon dd yyyy", "dd mon yyyy hh:mm"}

// monthNames are those of other languages, in short and in full.
var monthNames = [][]string{
	strings.Fields("ene feb mar abr may jun jul ago sep oct nov dic"),
	strings.Fields("enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre"),
	strings.Fields("janv févr mars avr mai juin juil août sept oct nov déc"),
	strings.Fields("janvier février mars avril mai juin juillet août septembre octobre novembre décembre"),
	strings.Fields("Jan Feb Mär Apr Mai Jun Jul Aug Sep Okt Nov Dez"),
	strings.Fields("Januar Februar März April Mai Juni Juli August September Oktober November Dezember"),
}

// dateFormOf finds the first form that reads all values; an offset or fraction
// is for ISO 8601.
func dateFormOf(values []string) string {
	form, _ := datesOf(values)
	return form
}

// datesOf is the form of dates and, where they are not English, the names of
// the months.
func datesOf(values []string) (name string, months []string) {
	if len(values) == 0 {
		return "", nil
	}
	for _, name := range draftForms {
		form, err := dateform.New(name)
		if err != nil {
			return "", nil
		}
		if reads(form, values) {
			return name, nil
		}
		for _, months := range monthNames {
			if strings.Contains(name, "mon") && reads(form.WithMonths(months), values) {
				return name, months
			}
		}
	}
	return "", nil
}

// reads reports whether a form makes sense of all values.
func reads(form *dateform.Form, values []string) bool {
	return !slices.ContainsFunc(values, func(v string) bool {
		at, ok := form.Parse(v, time.UTC)
		t, _ := at.Time()
		return !ok || t.Year() <= 1990 || t.Year() >= 2100
	})
}

var wordPairs = [][2]string{{"Yes", "No"}, {"yes", "no"}, {"YES", "NO"}, {"true", "false"}, {"TRUE", "FALSE"},
	{"True", "False"}, {"Ja", "Nein"}, {"ja", "nein"}, {"Oui", "Non"}, {"oui", "non"}, {"Sí", "No"}, {"sí", "no"}, {"S", "N"}, {"O", "N"},
	{"Y", "N"}, {"y", "n"}, {"J", "N"}, {"1", "0"}, {"on", "off"}}

func yesNoOf(values []string) (yes, no string) {
	for _, p := range wordPairs {
		if len(values) > 0 && !slices.ContainsFunc(values, func(v string) bool { return v != p[0] && v != p[1] }) {
			return p[0], p[1]
		}
	}
	return "", ""
}

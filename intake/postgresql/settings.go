package postgresql

import (
	"path"
	"slices"
	"strconv"
	"strings"
	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/rows"
)

// known are the settings that the server has not got.
func (e *export) known() {
	origin := facts.Origin{File: e.folder, Text: "the server has no such setting"}
	for _, id := range []setting.ID{setting.History, setting.ReuseAfter, setting.MaxAge, setting.MinAge, setting.WarnBefore,
		setting.LockoutAttempts,
		setting.SourceAttempts, setting.DormantAfter, setting.MinDistinct, setting.MinChanged, setting.MaxRepeat,
		setting.MaxRun, setting.MaxLength,
		setting.MinLower, setting.MinUpper, setting.MinDigits, setting.MinSymbols} {
		e.set(id, setting.OffValue, origin)
	}
	ended := origin
	ended.Text = "a password that has ended is refused at once"
	e.set(setting.GracePeriod, setting.Days(0), ended)
	for _, id := range []setting.ID{setting.BreachedBarred, setting.NamesBarred,
		setting.DescriptionBarred, setting.LoginReversedBarred, setting.ChangeAtFirstUse, setting.AppliesToExisting,
		setting.RecoveryQuestion,
		setting.HintAllowed} {
		e.set(id, setting.No, origin)
	}
	e.set(setting.SelfChange, setting.Yes, origin)
	intake.AnyCharacters(e.policy, origin)
	e.policy.Set(setting.StrengthFloor, setting.Value{}, facts.Origin{}) // the libraries tell
}

// setting reads one row of pg_settings.
func (e *export) setting(file string, row *rows.Row) error {
	key, value := row.Plain("name"), row.Plain("setting")
	origin := facts.Origin{File: file, Line: row.Line, Text: key + " = " + value}
	if e.raw == nil {
		e.raw = map[string]string{}
	}
	e.raw[key] = value
	switch key {
	case "password_encryption":
		e.set(setting.Storage, storage(value), origin)
	case "shared_preload_libraries", "session_preload_libraries", "local_preload_libraries":
		e.libraries(value, origin)
	case "auth_delay.milliseconds":
		e.delay(value, origin)
	case "idle_session_timeout":
		if v, ok := milliseconds(value); ok {
			e.set(setting.IdleTimeout, v, origin)
		}
	case "log_connections":
		e.set(setting.SuccessesLogged, setting.YesNo(row.True("setting") || value != "" && value != "off" && len(value) > 1), origin)
	case "listen_addresses":
		e.listens(value, origin)
	case "DateStyle":
		e.style.dayFirst = strings.Contains(value, "DMY")
	case "server_version_num":
		if n, err := strconv.Atoi(value); err == nil {
			e.version = n / 10000
		}
	}
	return nil
}

// milliseconds reads a length of time of which 0 means none.
func milliseconds(text string) (setting.Value, bool) {
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return setting.Value{}, false
	}
	if n <= 0 {
		return setting.OffValue, true
	}
	return setting.Seconds(n / 1000), true
}

// delay reads how long a wrong password holds up, in milliseconds; less than a
// second is no second, and not none.
func (e *export) delay(value string, origin facts.Origin) {
	if v, ok := milliseconds(value); ok {
		if span, timed := v.Span(); timed && span.Seconds == 0 {
			origin.Text += ": less than a second"
		}
		e.set(setting.FailureDelay, v, origin)
	}
}

// harmless are libraries that do not look at passwords.
var harmless = []string{"auth_delay", "auto_explain", "pg_stat_statements", "pg_prewarm", "pg_cron", "pgaudit", "basebackup_to_shell",
	"basic_archive", "sepgsql", "timescaledb", "pg_partman_bgw", "postgis", "plpgsql", "pg_squeeze", "pg_hint_plan",
	"citus", "pg_wait_sampling"}

// libraries reads what is loaded into every session. passwordcheck's limits are
// compiled in: eight characters, letters and others, not holding the role's
// name. A library that nobody here knows may look at passwords too.
func (e *export) libraries(list string, origin facts.Origin) {
	for l := range strings.SplitSeq(list, ",") {
		l = strings.TrimSuffix(strings.Trim(strings.TrimSpace(l), `"'`), ".so")
		switch name := path.Base(l); {
		case l == "":
		case name == "passwordcheck":
			e.checked = origin
		case !slices.Contains(harmless, name):
			e.strange = origin
			e.strange.Text += ": whether " + name + " looks at passwords is not known here"
		}
	}
	if strings.HasPrefix(origin.Text, "shared_preload_libraries") {
		e.loaded = origin
	}
}

// complexity records what the libraries ask of passwords that are set in clear.
func (e *export) complexity() {
	asked := []setting.ID{setting.MinLength, setting.MinClasses, setting.MinLetters}
	switch {
	case e.checked.Known():
		e.set(setting.MinLength, setting.Count(8), e.checked)
		e.set(setting.MinClasses, setting.Count(2), e.checked)
		e.set(setting.MinLetters, setting.Count(1), e.checked)
		e.set(setting.LoginBarred, setting.LoginContained, e.checked)
		mixed := e.checked
		mixed.Text += ": letters of both cases are no mix for passwordcheck; that is not judged here"
		e.policy.Hide(setting.StrengthFloor, mixed)
	case e.loaded.Known():
		e.policy.Set(setting.StrengthFloor, setting.NoStrengthFloor, e.loaded)
		e.loaded.Text += ": passwordcheck is not loaded"
		for _, id := range asked {
			e.set(id, setting.OffValue, e.loaded)
		}
		e.set(setting.LoginBarred, setting.LoginAccepted, e.loaded)
	}
	if e.loaded.Known() {
		e.set(setting.CommonBarred, setting.No, e.loaded)
		e.set(setting.DictionaryBarred, setting.No, e.loaded)
	}
	if e.strange.Known() {
		for _, id := range []setting.ID{setting.StrengthFloor, setting.CommonBarred, setting.DictionaryBarred} {
			e.policy.Hide(id, e.strange)
		}
		if !e.checked.Known() {
			for _, id := range append(asked, setting.LoginBarred, setting.MinLower, setting.MinUpper, setting.MinDigits,
				setting.MinSymbols, setting.History,
				setting.ReuseAfter) {
				e.policy.Hide(id, e.strange)
			}
		}
	}
}

// A kept is a setting that a role has of its own.
type kept struct {
	key, value string
	origin     facts.Origin
}

// roleSetting reads what a role or a database has of its own.
func (e *export) roleSetting(file string, row *rows.Row) error {
	key, value, _ := strings.Cut(row.Plain("setting"), "=")
	role, database := row.Plain("role"), row.Plain("database")
	origin := facts.Origin{File: file, Line: row.Line, Text: row.Plain("setting")}
	switch {
	case database != "":
		e.some[key] = true
	case role != "":
		e.own[role] = append(e.own[role], kept{key, value, origin})
	}
	return nil
}

// forSomeDatabases: where some database has a setting of its own, what holds
// depends on where somebody signs in.
func (e *export) forSomeDatabases() {
	for key, id := range map[string]setting.ID{"password_encryption": setting.Storage, "idle_session_timeout": setting.IdleTimeout} {
		if e.some[key] {
			e.policy.Hide(id, facts.Origin{File: e.folder, Text: "some database has a " + key + " of its own"})
		}
	}
	e.complexity()
}

// ownSettings puts what a role has of its own on its account.
func (e *export) ownSettings(a *facts.Account) {
	for _, k := range e.own[a.Login] {
		switch k.key {
		case "password_encryption":
			a.Override(setting.Storage, storage(k.value), k.origin)
		case "idle_session_timeout":
			if v, ok := milliseconds(k.value); ok {
				a.Override(setting.IdleTimeout, v, k.origin)
			} else {
				a.Hide(setting.IdleTimeout, k.origin)
			}
		}
	}
}

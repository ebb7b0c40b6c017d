package mariadb

import (
	"fmt"
	"slices"
	"strings"

	"yewcone/core/check"
	"yewcone/core/remedy"
	"yewcone/core/setting"
)

// A variable holds a setting; plugin is what it belongs to, "" for the server.
type variable struct{ name, plugin string }

var variableOf = map[setting.ID]variable{
	setting.MinLength:       {"simple_password_check_minimal_length", "simple_password_check"},
	setting.MinDigits:       {"simple_password_check_digits", "simple_password_check"},
	setting.MinUpper:        {"simple_password_check_letters_same_case", "simple_password_check"},
	setting.MinLower:        {"simple_password_check_letters_same_case", "simple_password_check"},
	setting.MinSymbols:      {"simple_password_check_other_characters", "simple_password_check"},
	setting.ReuseAfter:      {"password_reuse_check_interval", "password_reuse_check"},
	setting.MaxAge:          {"default_password_lifetime", ""},
	setting.LockoutAttempts: {"max_password_errors", ""},
}

// Remedy writes statements for the server's administrator.
func (e *export) Remedy(steps []remedy.Step, undo bool) (blocks []remedy.Block, cannot []remedy.Cannot) {
	block := remedy.Block{Where: "mariadb, as who may set global variables", Language: remedy.SQL, Notes: []string{
		"SET GLOBAL holds until the server ends: write the variables into its configuration too"}}
	var installed []string
	add := func(line string) {
		if !slices.Contains(block.Lines, line) {
			block.Lines = append(block.Lines, line)
		}
	}
	// plugin installs what is not there; its way back comes last.
	plugin := func(name string) (fresh bool) {
		if name == "" || e.active[name] {
			return false
		}
		if !undo {
			add("INSTALL SONAME '" + name + "';")
		} else if !slices.Contains(installed, name) {
			installed = append(installed, name)
		}
		return true
	}
	for i := range steps {
		s := &steps[i]
		v, known := variableOf[s.Setting]
		switch {
		case s.Setting == setting.DictionaryBarred && s.To == setting.Yes:
			plugin("cracklib_password_check")
		case s.Setting == setting.BlankAllowed && s.To == setting.No:
			plugin("simple_password_check")
		case s.Setting == setting.GracePeriod:
			if undo {
				add("SET GLOBAL disconnect_on_expired_password = " + e.values["disconnect_on_expired_password"].text + ";")
			} else {
				add("SET GLOBAL disconnect_on_expired_password = " + map[bool]string{true: "ON", false: "OFF"}[s.To.State() != setting.Off] + ";")
			}
		case s.Setting == setting.History:
			cannot = append(cannot, remedy.Cannot{Step: *s, Why: "the server bars old passwords by time, with password_reuse_check, not by number"})
		case !known:
			cannot = append(cannot, remedy.Cannot{Step: *s, Why: "the server has no such setting"})
		default:
			fresh := plugin(v.plugin)
			switch old, there := e.values[v.name]; {
			case undo && (fresh || !there):
			case undo:
				add("SET GLOBAL " + v.name + " = " + old.text + ";")
			default:
				add(fmt.Sprintf("SET GLOBAL %s = %d;", v.name, number(s)))
			}
		}
	}
	slices.Reverse(installed)
	for _, name := range installed {
		add("UNINSTALL SONAME '" + name + "';")
	}
	if block.Lines != nil {
		blocks = append(blocks, block)
	}
	return blocks, cannot
}

// number is a value as the variable takes it: days for ages, and for "never"
// as many errors as there can be.
func number(s *remedy.Step) int64 {
	n, _ := s.To.Count()
	switch s.Setting {
	case setting.MaxAge, setting.ReuseAfter:
		return remedy.Days(s.To)
	case setting.LockoutAttempts:
		if s.To.State() == setting.Off {
			return 1<<32 - 1
		}
	}
	return n
}

// ways stand behind ALTER USER and the name.
var ways = remedy.Ways{check.Shut: {"ACCOUNT LOCK", "ACCOUNT UNLOCK"}, check.AskNew: {"PASSWORD EXPIRE"}}

// Account writes a statement. Names without a host are roles, which nobody signs
// in as.
func (e *export) Account(act remedy.Act, who remedy.Who, undo bool) (where, language string, lines []string) {
	does := ways.Words(act, undo)
	switch {
	case act.Act == check.Unmark && act.Mark == "never_expires":
		does = map[bool]string{false: "PASSWORD EXPIRE DEFAULT", true: "PASSWORD EXPIRE NEVER"}[undo]
	case act.Act == check.SetOwn && act.Setting == setting.MaxAge && !undo:
		if does = fmt.Sprintf("PASSWORD EXPIRE INTERVAL %d DAY", remedy.Days(act.To)); act.To.State() == setting.Off {
			does = "PASSWORD EXPIRE NEVER"
		}
	}
	if at := strings.LastIndexByte(who.Login, '@'); at >= 0 && does != "" {
		lines = []string{"ALTER USER " + literal(who.Login[:at]) + "@" + literal(who.Login[at+1:]) + " " + does + ";"}
	}
	return "mariadb, as who may change accounts", remedy.SQL, lines
}

func literal(text string) string {
	return "'" + strings.NewReplacer(`\`, `\\`, "'", "''").Replace(text) + "'"
}

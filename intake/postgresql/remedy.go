package postgresql

import (
	"strconv"
	"strings"

	"yewcone/core/check"
	"yewcone/core/remedy"
	"yewcone/core/setting"
)

const psql = "psql, as a superuser"

// Remedy writes statements for the server's administrator.
func (e *export) Remedy(steps []remedy.Step, undo bool) (blocks []remedy.Block, cannot []remedy.Cannot) {
	block := remedy.Block{Where: psql, Language: remedy.SQL}
	restart := false
	set := func(name, value string) {
		if undo {
			old, there := e.raw[name]
			if !there {
				block.Lines = append(block.Lines, "ALTER SYSTEM RESET "+name+";")
				return
			}
			value = old
		}
		block.Lines = append(block.Lines, "ALTER SYSTEM SET "+name+" = "+literal(value)+";")
	}
	// load adds a library to those that are loaded into every session.
	load := func(library string) {
		list := e.raw["shared_preload_libraries"]
		if strings.Contains(list, library) || restart {
			return
		}
		restart = true
		var parts []string
		for l := range strings.SplitSeq(list, ",") {
			if l = strings.TrimSpace(l); l != "" {
				parts = append(parts, literal(l))
			}
		}
		if !undo {
			parts = append(parts, literal(library))
		}
		if parts == nil {
			parts = []string{"''"}
		}
		block.Lines = append(block.Lines, "ALTER SYSTEM SET shared_preload_libraries = "+strings.Join(parts, ", ")+";")
	}
	for i := range steps {
		s := &steps[i]
		why := ""
		switch s.Setting {
		case setting.Storage:
			if set("password_encryption", "scram-sha-256"); s.To != setting.StoredSaltedSlow {
				why = "the server stores scram-sha-256 at best"
			}
		case setting.IdleTimeout:
			set("idle_session_timeout", milli(s.To))
		case setting.SuccessesLogged:
			yes, _ := s.To.Flag()
			set("log_connections", map[bool]string{true: "on", false: "off"}[yes])
		case setting.FailureDelay:
			load("auth_delay")
			set("auth_delay.milliseconds", milli(s.To))
		case setting.MinLength, setting.MinClasses, setting.MinLetters:
			n, _ := s.To.Count()
			if most := map[setting.ID]int64{setting.MinLength: 8, setting.MinClasses: 2, setting.MinLetters: 1}[s.Setting]; n > most {
				why = "passwordcheck asks for eight characters, letters and others, and that is compiled in: replace its library by one of the house"
				break
			}
			load("passwordcheck")
		case setting.LoginBarred:
			load("passwordcheck")
		case setting.MaxAge:
			why = "the server has no age for all: give accounts an end with ALTER ROLE … VALID UNTIL"
		case setting.BlankAllowed:
			why = "pg_hba.conf decides it: have no line say trust"
		default:
			why = "the server has no such setting: a proxy or a directory in front of it may"
		}
		if why != "" {
			cannot = append(cannot, remedy.Cannot{Step: *s, Why: why})
		}
	}
	if block.Lines == nil {
		return nil, cannot
	}
	block.Lines = append(block.Lines, "SELECT pg_reload_conf();")
	if restart {
		block.Notes = append(block.Notes, "libraries are loaded when the server starts: restart it")
	}
	return []remedy.Block{block}, cannot
}

func milli(v setting.Value) string {
	if n := remedy.Seconds(v); n > 0 {
		return strconv.FormatInt(n*1000, 10)
	}
	return "0"
}

func literal(text string) string { return "'" + strings.ReplaceAll(text, "'", "''") + "'" }

// ways are statements around the name of a role, and psql's own command that
// asks for the password and sends only its hash.
var ways = remedy.Ways{check.Shut: {"ALTER ROLE % NOLOGIN;", "ALTER ROLE % LOGIN;"}, check.NewPassword: {`\password %`}}

// Account writes a line for psql.
func (e *export) Account(act remedy.Act, who remedy.Who, undo bool) (where, language string, lines []string) {
	if words := ways.Words(act, undo); words != "" {
		before, after, _ := strings.Cut(words, "%")
		lines = []string{before + `"` + strings.ReplaceAll(who.Login, `"`, `""`) + `"` + after}
	}
	return psql, remedy.SQL, lines
}

package linux

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"yewcone/core/check"
	"yewcone/core/facts"
	"yewcone/core/onuse"
	"yewcone/core/remedy"
	"yewcone/core/setting"
)

// keyOf are the keys of pwquality.conf, faillock.conf and login.defs that hold
// a number.
var keyOf = map[setting.ID]struct{ key, file, lead string }{
	setting.MinLength: {"minlen", pwqualityConf, "pam_pwquality"}, setting.MinClasses: {"minclass", pwqualityConf, "pam_pwquality"},
	setting.MinDigits: {"dcredit", pwqualityConf, "pam_pwquality"}, setting.MinUpper: {"ucredit", pwqualityConf, "pam_pwquality"},
	setting.MinLower: {"lcredit", pwqualityConf, "pam_pwquality"}, setting.MinSymbols: {"ocredit", pwqualityConf, "pam_pwquality"},
	setting.MaxRepeat: {"maxrepeat", pwqualityConf, "pam_pwquality"}, setting.MaxRun: {"maxsequence", pwqualityConf, "pam_pwquality"},
	setting.MinChanged: {"difok", pwqualityConf, "pam_pwquality"}, setting.NamesBarred: {"gecoscheck", pwqualityConf, "pam_pwquality"},
	setting.DictionaryBarred: {"dictcheck", pwqualityConf, "pam_pwquality"}, setting.LoginBarred: {"usercheck", pwqualityConf, "pam_pwquality"},
	setting.LockoutAttempts: {"deny", faillockConf, "pam_faillock"}, setting.LockoutWindow: {"fail_interval", faillockConf, "pam_faillock"},
	setting.LockoutDuration: {"unlock_time", faillockConf, "pam_faillock"}, setting.MaxAge: {"PASS_MAX_DAYS", "etc/login.defs", ""},
	setting.MinAge: {"PASS_MIN_DAYS", "etc/login.defs", ""}, setting.WarnBefore: {"PASS_WARN_AGE", "etc/login.defs", ""},
	setting.GracePeriod: {"INACTIVE", "etc/default/useradd", ""}, setting.History: {"remember", pwhistoryConf, "pam_pwhistory"},
}

// Remedy writes lines of the host's files, before and after.
func (e *export) Remedy(steps []remedy.Step, undo bool) (blocks []remedy.Block, cannot []remedy.Cannot) {
	block := remedy.Block{Where: "the host's files, as root", Language: remedy.Files}
	ages := false
	for i := range steps {
		s := &steps[i]
		edits, why := e.editsOf(s)
		if why != "" {
			cannot = append(cannot, remedy.Cannot{Step: *s, Why: why})
		}
		for _, edit := range edits {
			if undo {
				edit = edit.Undone()
			}
			block.Edits = append(block.Edits, edit)
		}
		ages = ages || s.Setting == setting.MaxAge || s.Setting == setting.MinAge || s.Setting == setting.WarnBefore
	}
	if ages {
		block.Notes = append(block.Notes, "login.defs holds for accounts that are made from now on: those that are there have ages of their own "+
			"(chage -M, -m, -W)")
	}
	if undo { // the last first
		slices.Reverse(block.Edits)
	}
	if block.Edits != nil {
		blocks = append(blocks, block)
	}
	return blocks, cannot
}

func (e *export) editsOf(s *remedy.Step) (edits []remedy.Edit, why string) {
	at := e.policy.Value(s.Setting).Origin
	switch s.Setting {
	case setting.BlankAllowed:
		line, ok := e.lineAt(at)
		if s.To != setting.No || !ok || !strings.Contains(line.text, "nullok") {
			return nil, "which line lets an empty password in is not told by one place of the export"
		}
		return []remedy.Edit{e.edit(at, line, nullok().ReplaceAllString(line.text, ""))}, ""
	case setting.LockoutCoversAdmins:
		return []remedy.Edit{{File: "/" + faillockConf, After: "even_deny_root"}}, ""
	case setting.Storage:
		line, ok := e.lineAt(at)
		if method := methods().FindString(line.text); ok && method != "" {
			return []remedy.Edit{e.edit(at, line, strings.Replace(line.text, method, "yescrypt", 1))}, ""
		}
		return nil, "where the method of storing stands is not told by one line"
	}
	k, known := keyOf[s.Setting]
	switch {
	case !known && s.Setting == setting.ChangeAtFirstUse:
		return nil, "the system has no such switch: chage -d 0 NAME asks for it, account by account"
	case !known:
		return nil, "the modules of the stack have no such setting"
	case k.lead != "" && !e.loaded[k.lead]:
		return nil, k.lead + " is not in the stack: install it, and let pam-auth-update (or authselect) put it in"
	}
	value := e.keyValue(s)
	if line, ok := e.lineAt(at); ok {
		for _, pattern := range []string{`(\b` + k.key + `[ \t]*=[ \t]*)[^ \t#]+`, `^(\s*` + k.key + `\s+)\S+`} {
			if re := regexp.MustCompile(pattern); re.MatchString(line.text) {
				return []remedy.Edit{e.edit(at, line, re.ReplaceAllString(line.text, "${1}"+value))}, ""
			}
		}
		if strings.Contains(at.File, "/pam.d/") && k.lead == "pam_pwhistory" && strings.Contains(line.text, "pam_pwhistory") {
			return []remedy.Edit{e.edit(at, line, strings.TrimRight(line.text, " ")+" remember="+value)}, ""
		}
	}
	after := k.key + " = " + value
	switch k.file {
	case "etc/login.defs":
		after = k.key + "\t" + value
	case "etc/default/useradd":
		after = k.key + "=" + value
	case pwhistoryConf:
		if !e.exists(pwhistoryConf) {
			return nil, "give pam_pwhistory remember=" + value + " on its line of the PAM stack"
		}
	}
	return []remedy.Edit{{File: "/" + k.file, After: after}}, ""
}

var (
	nullok  = onuse.Regexp(`[ \t]+nullok(_secure)?\b`)
	methods = onuse.Regexp(`(?i)\b(des|md5|bigcrypt|sha256|sha512|blowfish)\b`)
)

// keyValue is a value as the key takes it.
func (e *export) keyValue(s *remedy.Step) string {
	n, _ := s.To.Count()
	switch s.Setting {
	case setting.MinLength: // positive credits shorten what is demanded
		for _, credit := range e.credits {
			n += credit
		}
	case setting.MinDigits, setting.MinUpper, setting.MinLower, setting.MinSymbols:
		n = -n
	case setting.History:
		n++ // the present one is among them
	case setting.LockoutWindow:
		if n = remedy.Seconds(s.To); s.To.State() == setting.Off {
			n = faillockTimes // as long as it can be
		}
	case setting.LockoutDuration:
		n = remedy.Seconds(s.To)
	case setting.MaxAge:
		if n = days86400(s.To); s.To.State() == setting.Off {
			n = 99999
		}
	case setting.MinAge, setting.WarnBefore:
		n = days86400(s.To)
	case setting.GracePeriod:
		if n = days86400(s.To); s.To.State() == setting.Off {
			n = -1
		}
	}
	if yes, flag := s.To.Flag(); flag && yes {
		n = 1
	}
	if s.To.State() == setting.Choice && s.To != setting.LoginAccepted {
		n = 1
	}
	return strconv.FormatInt(n, 10)
}

func days86400(v setting.Value) int64 { return (remedy.Seconds(v) + 86399) / 86400 }

// lineAt is the line of a file that a value comes from; false where it comes
// from no line.
func (e *export) lineAt(at facts.Origin) (line, bool) {
	name, ok := strings.CutPrefix(at.File, e.root+"/")
	if !ok || at.Line == 0 {
		return line{}, false
	}
	lines, _ := e.lines(name)
	for _, l := range lines {
		if l.number == at.Line {
			return l, true
		}
	}
	return line{}, false
}

func (e *export) edit(at facts.Origin, l line, after string) remedy.Edit {
	return remedy.Edit{File: strings.TrimPrefix(at.File, e.root), Line: l.number, Before: l.text, After: after}
}

// ageOf are the options of chage.
var ageOf = map[setting.ID]string{setting.MaxAge: "--maxdays", setting.MinAge: "--mindays", setting.WarnBefore: "--warndays",
	setting.GracePeriod: "--inactive"}

// ways are commands before the name. Keys let in past a lock, and not past an
// end.
var ways = remedy.Ways{check.Shut: {"usermod --lock --expiredate 1", "usermod --unlock --expiredate ''"},
	check.NewPassword: {"passwd"}, check.AskNew: {"chage --lastday 0"}, check.Unlock: {"faillock --reset --user"}}

// Account writes a line for a shell.
func (e *export) Account(act remedy.Act, who remedy.Who, undo bool) (where, language string, lines []string) {
	words := ways.Words(act, undo)
	if option := ageOf[act.Setting]; act.Act == check.SetOwn && option != "" && !undo {
		days := remedy.Days(act.To)
		if act.To.State() == setting.Off && act.Setting != setting.MinAge {
			days = -1
		}
		words = fmt.Sprintf("chage %s %d", option, days)
	}
	if words != "" {
		lines = []string{words + " " + remedy.ShellWord(who.Login)}
	}
	return "a shell on the host, as root", remedy.Shell, lines
}

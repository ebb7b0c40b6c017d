package linux

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	"yewcone/core/facts"
)

// A module is one line of a PAM stack.
type module struct {
	name    string // such as pam_unix
	args    []string
	control map[string]string // what each result leads to; "default" for the others
	level   int               // of substacks around it
	opens   bool              // no module: the line that opens a substack
	absent  bool              // not installed, as the export's list of modules has it
	origin  facts.Origin
}

// arg returns the value of key=value, or "" and true for a bare key; the last
// one counts.
func (m *module) arg(key string) (string, bool) {
	for i := len(m.args) - 1; i >= 0; i-- {
		if k, v, _ := strings.Cut(m.args[i], "="); k == key {
			return v, true
		}
	}
	return "", false
}

// Results of modules, as PAM names them, as far as stacks of passwords give
// them.
const (
	success   = "success"
	ignored   = "ignore"
	authErr   = "auth_err"
	tokenErr  = "authtok_err"
	denied    = "perm_denied"
	unknownTo = "user_unknown"
	noModule  = "module_unknown"
	noResult  = ""
)

// controlWords are the words that stand for a list of what to do.
var controlWords = map[string]string{
	"required":   "success=ok new_authtok_reqd=ok ignore=ignore default=bad",
	"requisite":  "success=ok new_authtok_reqd=ok ignore=ignore default=die",
	"sufficient": "success=done new_authtok_reqd=done default=ignore",
	"optional":   "success=ok new_authtok_reqd=ok default=ignore",
}

// actions are what a result may lead to, beside a number of modules to jump over.
var actions = []string{"ignore", "bad", "die", "ok", "done", "reset"}

// controlOf reads a control: a word, or [result=action …]. What it does not
// understand fails, as libpam has it.
func controlOf(text string) map[string]string {
	if words, ok := controlWords[strings.ToLower(text)]; ok {
		text = words
	}
	control := map[string]string{}
	for word := range strings.FieldsSeq(strings.Trim(text, "[]")) {
		result, action, ok := strings.Cut(strings.ToLower(word), "=")
		if n, err := strconv.Atoi(action); !ok || err == nil && n < 0 || err != nil && !slices.Contains(actions, action) {
			return map[string]string{}
		}
		control[result] = action
	}
	return control
}

// action is what a result of the module leads to.
func (m *module) action(result string) string {
	if action, ok := m.control[result]; ok {
		return action
	}
	if action, ok := m.control["default"]; ok {
		return action
	}
	return "bad"
}

// A stack is what a service runs one after another for one type of question.
type stack struct {
	modules []module
	lacks   bool // more belongs to it that is not in the export
}

// state is what has come out so far.
type state struct{ impression, status string }

// walk runs a stack as libpam does and returns its result and which modules
// ran. A module of which the result is noResult is passed over.
func (s *stack) walk(result func(*module) string) (string, map[*module]bool) {
	ran := map[*module]bool{}
	now := state{status: denied}
	at := map[int]state{0: now}
	level := 0
	for i := 0; i < len(s.modules); i++ {
		m := &s.modules[i]
		if m.level > level {
			at[m.level] = now
		}
		level = m.level
		if m.opens {
			continue
		}
		ran[m] = true
		said := result(m)
		if m.absent {
			said = noModule
		}
		if said == noResult {
			continue
		}
		action := m.action(said)
		skip, jump := 0, false
		switch action {
		case "reset":
			now = at[m.level]
		case "ok", "done":
			if now.impression == "" || now.impression == "good" && now.status == success {
				if now.impression == "" {
					now.impression = "good"
				}
				now.status = said
			}
		case "ignore":
		case "bad", "die":
			now = now.failed(said)
		default:
			if n, err := strconv.Atoi(action); err == nil && n > 0 {
				skip, jump = n, true
			} else {
				now = now.failed(denied)
			}
		}
		switch {
		case jump:
			for skip > 0 && i+1 < len(s.modules) && s.modules[i+1].level >= m.level {
				for i++; i+1 < len(s.modules) && s.modules[i+1].level > m.level; i++ {
				}
				skip--
			}
			if skip > 0 { // past the end of the stack
				now = state{"bad", denied}
			}
		case action == "done" && now.impression == "good" || action == "die":
			for i+1 < len(s.modules) && s.modules[i+1].level >= m.level && m.level > 0 {
				i++
			}
			if m.level == 0 {
				i = len(s.modules)
			}
		}
	}
	if now.status == success && now.impression != "good" {
		now.status = denied
	}
	return now.status, ran
}

func (s state) failed(result string) state {
	if s.impression == "bad" {
		return s
	}
	if result == ignored {
		result = denied
	}
	return state{"bad", result}
}

// most is the largest number of modules whose results are not known that are
// tried in all combinations.
const most = 6

// outcomes runs something with every combination of the results that modules
// may give, and returns what came out; false when there are too many to try. A
// module of which nothing may be said is left to the run.
func (s *stack) outcomes(may func(*module) []string, run func(say func(*module) string) string) ([]string, bool) {
	var open []*module
	choice := map[*module]int{}
	for i := range s.modules {
		if m := &s.modules[i]; !m.opens && len(may(m)) > 1 {
			open = append(open, m)
		}
	}
	if len(open) > most {
		return nil, false
	}
	seen := map[string]bool{}
	for {
		seen[run(func(m *module) string {
			if all := may(m); len(all) > 0 {
				return all[choice[m]]
			}
			return noResult
		})] = true
		next := 0
		for ; next < len(open); next++ {
			if choice[open[next]]++; choice[open[next]] < len(may(open[next])) {
				break
			}
			choice[open[next]] = 0
		}
		if next == len(open) {
			return slices.Sorted(maps.Keys(seen)), true
		}
	}
}

// change walks the stack twice, as a change of the password does: first every
// module says whether it could, then they do it.
func (s *stack) change(result func(m *module, update bool) string) string {
	said, _ := s.walk(func(m *module) string { return result(m, false) })
	if said != success {
		return said
	}
	said, _ = s.walk(func(m *module) string { return result(m, true) })
	return said
}

// heardOf are modules of which it is known that they neither remember old passwords
// of the host's own nor lock after failures, beside those that are read here.
var heardOf = strings.Fields(`pam_unix pam_unix2 pam_pwhistory pam_pwquality pam_faillock pam_deny pam_permit pam_warn pam_echo pam_debug
	pam_cracklib pam_passwdqc pam_gnome_keyring pam_kwallet pam_kwallet5 pam_sss pam_krb5 pam_ldap pam_winbind pam_systemd_home pam_ecryptfs pam_mount
	pam_cap pam_succeed_if pam_exec pam_localuser pam_rootok pam_shells pam_nologin pam_time pam_access pam_listfile pam_env pam_limits pam_keyinit
	pam_selinux pam_faildelay pam_userdb pam_wheel pam_umask pam_usertype pam_issue pam_group pam_motd pam_lastlog pam_lastlog2 pam_loginuid pam_mail
	pam_google_authenticator pam_u2f pam_oath pam_duo pam_fprintd pam_pkcs11 pam_radius_auth pam_yubico pam_securetty pam_xauth pam_timestamp pam_ftp
	pam_rhosts pam_ssh_agent_auth pam_tty_audit pam_sepermit pam_namespace pam_systemd pam_elogind pam_ck_connector pam_setquota pam_canonicalize_user`)

// stranger is the first module of which nothing is known; nil for none.
func stranger(modules []module) *module {
	for i := range modules {
		if m := &modules[i]; !m.opens && !slices.Contains(heardOf, m.name) {
			return m
		}
	}
	return nil
}

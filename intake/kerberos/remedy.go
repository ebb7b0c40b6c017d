package kerberos

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yewcone/core/check"
	"yewcone/core/remedy"
	"yewcone/core/setting"
)

// optionOf are kadmin's names of what a policy sets.
var optionOf = map[setting.ID]string{
	setting.MaxAge: "maxlife", setting.MinAge: "minlife", setting.MinLength: "minlength", setting.MinClasses: "minclasses",
	setting.History: "history", setting.LockoutAttempts: "maxfailure", setting.LockoutWindow: "failurecountinterval",
	setting.LockoutDuration: "lockoutduration",
}

const kadmin = "kadmin.local, or kadmin as an administrator"

// Remedy writes lines for kadmin.
func (e *export) Remedy(steps []remedy.Step, undo bool) (blocks []remedy.Block, cannot []remedy.Cannot) {
	var policies []string
	options := map[string]string{}
	for i := range steps {
		s := &steps[i]
		name, v := optionOf[s.Setting], s.To
		p := e.Read.Policy(s.Policy)
		switch {
		case s.Setting == setting.BlankAllowed:
			cannot = append(cannot, remedy.Cannot{Step: *s, Why: "a policy refuses empty passwords: assign one"})
			continue
		case name == "":
			cannot = append(cannot, remedy.Cannot{Step: *s, Why: "a policy of the realm has no such setting"})
			continue
		case p == nil || e.Read.NoPolicy != nil && s.Policy == e.Read.NoPolicy.Name:
			cannot = append(cannot, remedy.Cannot{Step: *s, Why: "this holds where there is no policy: make one with add_policy and assign it"})
			continue
		}
		if undo {
			v = p.Value(s.Setting).Value
		}
		if _, there := options[s.Policy]; !there {
			policies = append(policies, s.Policy)
		}
		options[s.Policy] += " -" + name + " " + option(s.Setting, v)
	}
	block := remedy.Block{Where: kadmin, Language: remedy.Kadmin}
	if !undo && slices.ContainsFunc(steps, func(s remedy.Step) bool { return s.Setting == setting.MaxAge }) {
		block.Notes = append(block.Notes, "a password keeps the end that it was given when it was set: the new life holds from its next change on")
	}
	for _, p := range policies {
		block.Lines = append(block.Lines, "modify_policy"+options[p]+" "+quoted(p))
	}
	if block.Lines != nil {
		blocks = append(blocks, block)
	}
	return blocks, cannot
}

// option is a value as kadmin takes it: the history counts the present key,
// and classes and lengths are 1 where nothing is asked.
func option(id setting.ID, v setting.Value) string {
	n, _ := v.Count()
	switch id {
	case setting.History:
		return strconv.FormatInt(n+1, 10)
	case setting.MinClasses, setting.MinLength:
		return strconv.FormatInt(max(1, n), 10)
	case setting.LockoutAttempts:
		return strconv.FormatInt(n, 10)
	}
	return fmt.Sprintf("\"%d seconds\"", remedy.Seconds(v))
}

func quoted(name string) string {
	if strings.ContainsAny(name, " \"") {
		return "\"" + strings.ReplaceAll(name, "\"", "\"\"") + "\""
	}
	return name
}

// ways are the commands of kadmin.
var ways = remedy.Ways{check.Shut: {"modify_principal -allow_tix", "modify_principal +allow_tix"},
	check.AskNew:      {"modify_principal +needchange", "modify_principal -needchange"},
	check.NewPassword: {"change_password"}, check.Unlock: {"modify_principal -unlock"}}

// Account writes a line for kadmin.
func (e *export) Account(act remedy.Act, who remedy.Who, undo bool) (where, language string, lines []string) {
	if words := ways.Words(act, undo); words != "" {
		lines = []string{words + " " + quoted(who.Login)}
	}
	return kadmin, remedy.Kadmin, lines
}

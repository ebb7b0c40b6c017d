package condition

import (
	"strings"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

func TestThreeAnswers(t *testing.T) {
	day := func(text string) facts.Moment {
		at, err := strictyaml.ParseDate(text)
		if err != nil {
			t.Fatal(err)
		}
		return facts.At(at)
	}
	asOf := time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC)
	s := &Subject{
		Account: &facts.Account{
			Login: "svc-tide", Kind: facts.Service, Unit: "Ships/MV Petrel/Deck", Enabled: facts.Yes,
			Groups: []string{"harbourmasters"}, GroupsKnown: true,
			PasswordSet: day("2026-08-01"), Created: day("2024-01-01"), LastSignIn: facts.Never,
			Storage: setting.StoredSaltedFast,
		},
		System:  &facts.System{Name: "quay1", Labels: []string{"core"}},
		Derived: facts.Derived{AsOf: asOf.Unix(), AsOfKnown: true, Overdue: facts.Yes},
	}
	for text, want := range map[string]facts.Tri{
		`login startsWith "svc-"`:                                              facts.Yes,
		`kind == "person" or kind == "service"`:                                facts.Yes,
		`kind in ["person", "shared"]`:                                         facts.No,
		`kind not in ["person", "shared"]`:                                     facts.Yes,
		`"harbourmasters" in groups`:                                           facts.Yes,
		`"core" in labels and system == "quay1"`:                               facts.Yes,
		`"x" in roles`:                                                         facts.Unknown,
		`locked`:                                                               facts.Unknown,
		`not locked`:                                                           facts.Unknown,
		`locked and not enabled`:                                               facts.No,
		`locked or enabled`:                                                    facts.Yes,
		`enabled and locked`:                                                   facts.Unknown,
		`locked == enabled`:                                                    facts.Unknown,
		`password_age > days(90)`:                                              facts.Yes,
		`password_age > months(4)`:                                             facts.No,
		`never_signed_in and idle > years(2)`:                                  facts.Yes,
		`password_set < date("2026-08-02")`:                                    facts.Yes,
		`storage < "salted slow" and storage >= "reversible"`:                  facts.Yes,
		`storage == "memory-hard"`:                                             facts.No,
		`storage in ["salted fast", "unsalted fast"]`:                          facts.Yes,
		`storage in ["cleartext", "memory-hard"]`:                              facts.No,
		`not (storage in ["salted slow"])`:                                     facts.Yes,
		`password_age > days(-14)`:                                             facts.Yes,
		`password_age > -days(14) and not (password_age < -years(1))`:          facts.Yes,
		`password_age between days(90) and days(120)`:                          facts.Yes,
		`password_age between days(111) and days(111) and enabled`:             facts.Yes,
		`password_age not between days(90) and days(110)`:                      facts.Yes,
		`(enabled and password_age between days(10) and (days(20))) or locked`: facts.Unknown,
		`idle between days(1) and days(2)`:                                     facts.No,
		`failures between 1 and 3`:                                             facts.Unknown,
		`storage between "reversible" and "salted fast"`:                       facts.Yes,
		`password_set between date("2026-08-01") and date("2026-08-01") and (failures between 1 and 2 or enabled)`: facts.Yes,
		`login == "a between b and c" or unit == "Ships between"`:                                                  facts.No,
		`login == "ü" or password_age between days(90) and days(120) or locked`:                                    facts.Yes,
		`under(unit, "Ships") and not under(unit, "Ship")`:                                                         facts.Yes,
		`login matches "^svc-[a-z]+$"`:                                                                             facts.Yes,
		`overdue and failures > 3`:                                                                                 facts.Unknown,
		`email endsWith "@marrowby.example"`:                                                                       facts.Unknown,
		`dated_in_future`:                                                                                          facts.No,
		`true`:                                                                                                     facts.Yes,
	} {
		c, err := Compile(strictyaml.Text{Value: text}, Complete)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if got := c.Test(s); got != want {
			t.Errorf("%s: %s, want %s", text, got, want)
		}
	}
	c, _ := Compile(strictyaml.Text{Value: `enabled and locked and "x" in roles`}, Complete)
	if got := c.UnknownFacts(s, nil); len(got) != 2 || got[0] != "locked" || got[1] != "roles" {
		t.Errorf("unknown facts: %v", got)
	}
}

func TestRefused(t *testing.T) {
	for _, text := range []string{
		"", "enabled and", "login", "enabled + 1", "idle > 90", `login == 3`, "nobody", "len(groups) > 1", `{"a": 1}`,
		"enabled ? true : false",
		`kind == "persn"`, `storage < "salty"`, `login matches "("`, `days(-1.5) < idle`, `days(-(1)) < "x"`, `date("soon") < created`, "days",
		`login in groups and let x = 1; true`,
		`storage in ["clear"]`, `storage in groups`, `all(groups, # == "x")`, `groups == roles`, `login matches email`, `now() > created`,
	} {
		if c, err := Compile(strictyaml.Text{Value: text}, Complete); err == nil {
			t.Errorf("%q is read as %v", text, c)
		}
	}
	for text, says := range map[string]string{
		`login beginsWith "x"`: "did you mean startsWith?", `login startswith "x"`: "did you mean startsWith?", `login = "x"`: "write == to compare",
		`login and and`: "something is missing before \"and\"", `login ==`: "ends too early", `not login`: "it takes what is yes or no",
		`failures > "x"`: "a number and a text cannot be compared", `groups contains "x"`: "write \"x\" in groups", `"a" in login`: "is a list",
		`idle > 5 days`: "write a length of time as days(5)", `idle between 1 and 2`: "write a length of time as", `idle between days(2)`: "write two comparisons",
		`idle > -enabled`:         "a sign stands before a number",
		`account_ends < days(10)`: "compared with a date", `date("2026-11-20")`: "must answer yes or no", `login == "x" "y"`: "an operator is missing",
		`login follows "x"`: "\"follows\" is no operator; there are and, or, not",
	} {
		if _, err := Compile(strictyaml.Text{Value: text}, Complete); err == nil || !strings.Contains(err.Error(), says) ||
			strings.Contains(err.Error(), "token") || strings.Contains(err.Error(), "mismatched") {
			t.Errorf("%s: %v, want %q", text, err, says)
		}
	}
	for _, text := range []string{"privileged", "overdue", `kind == "person"`} {
		if _, err := Compile(strictyaml.Text{Value: text}, FromExport); err == nil {
			t.Errorf("%q may be asked before it is known", text)
		}
	}
}

func FuzzCompile(f *testing.F) {
	f.Add(`enabled and idle > days(90) or not ("x" in groups)`)
	f.Add(`under(unit, login) and kind in ["person"]`)
	f.Add(`idle not between -days(3) and days(90) and login == "a between b"`)
	f.Fuzz(func(_ *testing.T, text string) {
		c, err := Compile(strictyaml.Text{Value: text}, Complete)
		if err == nil {
			c.Test(&Subject{Account: &facts.Account{}, System: &facts.System{}})
		}
	})
}

// TestDatesOfFacts: of each fact that is a date or a length of time it is told which dates
// it comes from, so that those are compared where two such facts are.
func TestDatesOfFacts(t *testing.T) {
	for i := range allFacts {
		f := &allFacts[i]
		if (f.Type == "date" || f.Type == "time") && len(dates[f.Name]) == 0 && f.Name != "key_age" { // which no mapping fills
			t.Errorf("%s: from which dates does it come?", f.Name)
		}
		if len(dates[f.Name]) > 0 && !f.dated() {
			t.Errorf("%s comes from dates and is said not to", f.Name)
		}
	}
}

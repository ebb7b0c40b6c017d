package condition

import (
	"testing"
	"time"

	"yewcone/core/estate"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

func TestThreeAnswers(t *testing.T) {
	day := func(text string) estate.Moment {
		at, err := strictyaml.ParseDate(text)
		if err != nil {
			t.Fatal(err)
		}
		return estate.At(at)
	}
	asOf := time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC)
	s := &Subject{
		Account: &estate.Account{
			Login: "svc-tide", Kind: estate.Service, Unit: "Ships/MV Petrel/Deck", Enabled: estate.Yes,
			Groups: []string{"harbourmasters"}, GroupsKnown: true,
			PasswordSet: day("2026-08-01"), Created: day("2024-01-01"), LastSignIn: estate.Never,
			Storage: setting.StoredSaltedFast,
		},
		System: &estate.System{Name: "quay1", Labels: []string{"core"}},
		Dates:  estate.Dates{AsOf: asOf.Unix(), AsOfKnown: true, Overdue: estate.Yes},
	}
	for text, want := range map[string]estate.Tri{
		`login startsWith "svc-"`:                             estate.Yes,
		`kind == "person" or kind == "service"`:               estate.Yes,
		`kind in ["person", "shared"]`:                        estate.No,
		`kind not in ["person", "shared"]`:                    estate.Yes,
		`"harbourmasters" in groups`:                          estate.Yes,
		`"core" in labels and system == "quay1"`:              estate.Yes,
		`"x" in roles`:                                        estate.Unknown,
		`locked`:                                              estate.Unknown,
		`not locked`:                                          estate.Unknown,
		`locked and not enabled`:                              estate.No,
		`locked or enabled`:                                   estate.Yes,
		`enabled and locked`:                                  estate.Unknown,
		`locked == enabled`:                                   estate.Unknown,
		`password_age > days(90)`:                             estate.Yes,
		`password_age > months(4)`:                            estate.No,
		`never_signed_in and idle > years(2)`:                 estate.Yes,
		`password_set < date("2026-08-02")`:                   estate.Yes,
		`storage < "salted slow" and storage >= "reversible"`: estate.Yes,
		`storage == "memory-hard"`:                            estate.No,
		`under(unit, "Ships") and not under(unit, "Ship")`:    estate.Yes,
		`login matches "^svc-[a-z]+$"`:                        estate.Yes,
		`overdue and failures > 3`:                            estate.Unknown,
		`email endsWith "@marrowby.example"`:                  estate.Unknown,
		`dated_in_future`:                                     estate.No,
		`true`:                                                estate.Yes,
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
		`kind == "persn"`, `storage < "salty"`, `login matches "("`, `days(-1) < idle`, `date("soon") < created`, "days",
		`login in groups and let x = 1; true`,
		`storage in ["cleartext"]`, `all(groups, # == "x")`, `groups == roles`, `login matches email`, `now() > created`,
	} {
		if c, err := Compile(strictyaml.Text{Value: text}, Complete); err == nil {
			t.Errorf("%q is read as %v", text, c)
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
	f.Fuzz(func(_ *testing.T, text string) {
		c, err := Compile(strictyaml.Text{Value: text}, Complete)
		if err == nil {
			c.Test(&Subject{Account: &estate.Account{}, System: &estate.System{}})
		}
	})
}

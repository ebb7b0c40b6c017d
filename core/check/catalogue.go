package check

import (
	"crypto/sha256"
	"fmt"

	"yewcone/core/condition"
	"yewcone/core/setting"
)

// A Catalogue is what the program knows of: results of two programs with the same
// mark mean the same by the same names.
type Catalogue struct {
	Mark                    string // of all names, kinds, orders, choices and severities
	Settings, Checks, Facts int
}

// TheCatalogue counts and marks what the program knows of.
func TheCatalogue() Catalogue {
	h := sha256.New()
	c := Catalogue{}
	for _, s := range setting.All() {
		fmt.Fprintln(h, "setting", s.Name, s.Kind, s.Order, s.OffIs, s.OffWord, s.Choices, s.Unit, s.Most, s.Unlock, s.All)
		c.Settings++
	}
	for _, k := range All() {
		fmt.Fprintln(h, "check", k.ID, k.Severity, k.IfPrivileged)
		c.Checks++
	}
	for _, f := range condition.Facts() {
		fmt.Fprintln(h, "fact", f.Name, f.Type, f.Words)
		c.Facts++
	}
	c.Mark = fmt.Sprintf("%x", h.Sum(nil)[:4])
	return c
}

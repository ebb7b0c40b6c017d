// Package factstest holds an export in memory, for tests.
package factstest

import "yewcone/core/facts"

// An Export hands over the accounts that it lists.
type Export struct {
	Of       *facts.System
	Listed   []facts.Account
	Remarked facts.Notes
}

// System returns the system that the export is of.
func (e *Export) System() *facts.System { return e.Of }

// Notes returns what was noted.
func (e *Export) Notes() *facts.Notes { return &e.Remarked }

// Accounts hands over copies, as readers do that use one account again.
func (e *Export) Accounts(yield func(*facts.Account) error) error {
	for i := range e.Listed {
		a := e.Listed[i]
		if err := yield(&a); err != nil {
			return err
		}
	}
	return nil
}

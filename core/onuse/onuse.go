// Package onuse makes things when they are first used: what packages make as the program
// starts, every command waits for.
package onuse

import (
	"regexp"
	"sync"
)

// Regexp compiles an expression, which must be sound, when it is first asked for.
func Regexp(expression string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(expression) })
}

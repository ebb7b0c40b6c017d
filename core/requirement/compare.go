package requirement

import (
	"slices"

	"yewcone/core/setting"
)

// longest is beyond every amount that anybody asks for.
const longest = 1 << 40

// samples returns values that tell all requirements with the given phrases
// apart: what they name, what lies beside it, and the ends of the scale.
// Requirements are unions of ranges whose ends they name, so that two which
// agree on the samples agree everywhere.
func samples(s *setting.Setting, list ...Requirement) []setting.Value {
	var out []setting.Value
	add := func(v setting.Value) {
		if s.Takes(v) && v.Known() && !slices.Contains(out, v) {
			out = append(out, v)
		}
	}
	beside := func(v setting.Value) {
		add(v)
		if n, ok := v.Count(); ok {
			add(setting.Count(n - 1))
			add(setting.Count(n + 1))
		}
		if span, ok := v.Span(); ok {
			if n := span.Length(); n > 0 {
				add(setting.For(setting.Span{Seconds: n - 1}))
			}
			add(setting.For(setting.Span{Seconds: span.Length() + 1}))
		}
	}
	for _, r := range list {
		for _, alt := range r.any {
			for _, v := range alt.values {
				beside(v)
			}
		}
	}
	for i := range s.Choices {
		add(setting.ChoiceAt(i))
	}
	for _, v := range []setting.Value{setting.OffValue, setting.UntilUnlockedValue, setting.Yes, setting.No,
		setting.Count(0), setting.Count(longest), setting.Count(s.Most), setting.Days(0),
		setting.For(setting.Span{Seconds: longest})} {
		add(v)
	}
	return out
}

// Implies reports whether every value that meets r meets other as well. Both
// must be about the same setting.
func (r Requirement) Implies(other Requirement) bool {
	if len(r.Systems()) > 0 {
		return r.String() == other.String() // nobody knows the value
	}
	for _, v := range samples(r.setting, r, other) {
		if r.Test(v) == Meets && other.Test(v) != Meets {
			return false
		}
	}
	return true
}

// Together returns the loosest value that meets all of the requirements, which
// are about one setting; false when there is none.
func Together(list ...Requirement) (setting.Value, bool) {
	s := list[0].setting
	best, found := setting.Value{}, false
	for _, v := range samples(s, list...) {
		if slices.ContainsFunc(list, func(r Requirement) bool { return r.Test(v) != Meets }) {
			continue
		}
		if order, ok := s.Compare(v, best); !found || ok && order < 0 {
			best, found = v, true
		}
	}
	return best, found
}

// Closest returns, of the values that meet all of the requirements, the one
// that lies nearest to a value on its stricter side, else on the other; false
// when none meets them. Where the setting has no order, more counts as
// stricter.
func Closest(to setting.Value, list ...Requirement) (setting.Value, bool) {
	s := list[0].setting
	size := func(a, b setting.Value) int {
		if order, ok := s.Compare(a, b); ok {
			return order
		}
		return s.CompareAmounts(a, b)
	}
	best, found, above := setting.Value{}, false, false
	for _, v := range append(samples(s, list...), to) {
		if !v.Known() || slices.ContainsFunc(list, func(r Requirement) bool { return r.Test(v) != Meets }) {
			continue
		}
		stricter := !to.Known() || size(v, to) >= 0
		switch {
		case !found, stricter && !above, stricter && size(v, best) < 0, !stricter && !above && size(v, best) > 0:
			best, found, above = v, true, stricter
		}
	}
	return best, found
}

// Nearest returns, of the values within a limit, the one that comes nearest to
// the requirement: the strictest where the requirement asks for more than the
// limit allows, else the loosest.
func (r Requirement) Nearest(limit Requirement) setting.Value {
	s := r.setting
	best := setting.Value{}
	var wanted setting.Value
	for _, v := range samples(s, r, limit) {
		if r.Test(v) == Meets {
			wanted = v
			break
		}
	}
	for _, v := range samples(s, limit) {
		if limit.Test(v) != Meets {
			continue
		}
		toward, _ := s.Compare(wanted, v)
		order, ok := s.Compare(v, best)
		if !best.Known() || ok && (order > 0) == (toward > 0) && order != 0 {
			best = v
		}
	}
	return best
}

// Named returns the values that the phrase names, such as the 14 of "at least 14".
func (r Requirement) Named() []setting.Value {
	var out []setting.Value
	for _, alt := range r.any {
		out = append(out, alt.values...)
	}
	return out
}

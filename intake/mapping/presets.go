package mapping

import (
	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/setting"
)

// A preset is one of the settings that a word stands for.
type preset struct {
	id    setting.ID
	value setting.Value
}

func (p *plan) readPresets() {
	p.presets = map[string][]preset{}
	for _, word := range p.file.Presets {
		p.presets[word.Key.Value] = nil
		for _, s := range word.Value {
			if id, v, ok := p.fixed(s); ok {
				p.presets[word.Key.Value] = append(p.presets[word.Key.Value], preset{id, v})
			}
		}
	}
}

// preset gives the policy what a word stands for, where it does not say so
// itself.
func (e *export) preset(p *facts.Policy, word string, origin facts.Origin) {
	list, ok := e.plan.presets[word]
	if !ok {
		var words []string
		for _, known := range e.plan.file.Presets {
			words = append(words, known.Key.Value)
		}
		if gapOf(word) == noGap {
			e.Noted.Refuse(origin, "%q is none of the presets%s", word, nearword.Advice(word, words))
		}
		return
	}
	for _, s := range list {
		if v := p.Value(s.id); !v.Known() && !v.Hidden {
			p.Set(s.id, s.value, origin)
		}
	}
}

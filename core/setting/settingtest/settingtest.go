// Package settingtest lets tests write settings and values as texts. Its
// functions panic where a text is none.
package settingtest

import "yewcone/core/setting"

// ID returns the setting of a name.
func ID(name string) setting.ID {
	id, ok := setting.Find(name)
	if !ok {
		panic("no setting is named " + name)
	}
	return id
}

// Value reads a value of a setting.
func Value(name, text string) setting.Value {
	v, err := setting.At(ID(name)).Parse(text)
	if err != nil {
		panic(err)
	}
	return v
}

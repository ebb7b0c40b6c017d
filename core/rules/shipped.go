package rules

import (
	"embed"
	"path"
	"slices"
	"strings"
)

//go:embed shipped/*.yaml
var shippedFiles embed.FS

// ShippedNames lists the rule sets that come with the tool.
func ShippedNames() []string {
	entries, err := shippedFiles.ReadDir("shipped")
	if err != nil {
		panic(err) // the folder is part of the program
	}
	var names []string
	for _, e := range entries {
		names = append(names, strings.TrimSuffix(e.Name(), ".yaml"))
	}
	slices.Sort(names)
	return names
}

// Shipped returns a rule set that comes with the tool; false for a name that
// does not.
func Shipped(name string) (*Set, bool) {
	if !slices.Contains(ShippedNames(), name) {
		return nil, false
	}
	file := path.Join("shipped", name+".yaml")
	data, err := shippedFiles.ReadFile(file)
	if err != nil {
		panic(err)
	}
	set, err := Read(file, data)
	if err != nil {
		panic(err) // a test reads them all
	}
	return set, true
}

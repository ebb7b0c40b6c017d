package draft

import (
	"encoding/xml"
	"io"
	"maps"
	"slices"
	"strings"

	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/ldif"
	"yewcone/intake/text"
)

// treeSample reads the first rows of an LDIF or XML file: rows are found by
// what most entries or elements have in common, columns by a first reading.
func treeSample(r *intake.Request, name, base, form string) ([]sample, error) {
	find := xmlRows
	if form == "ldif" {
		find = ldifClass
	}
	f, err := text.Open(r.Path(name), "")
	if err != nil {
		return nil, intake.CannotOpen(name, err)
	}
	rows, columns := find(f)
	f.Close()
	if rows == "" {
		return nil, nil
	}
	t, err := openTable(r, name, form, &strictyaml.Text{Value: rows})
	if err != nil {
		return nil, err
	}
	defer t.Close()
	for _, c := range columns {
		if _, err := t.Column(c); err != nil {
			return nil, err
		}
	}
	return []sample{{file: base, path: rows, header: columns, rows: firstRows(t)}}, nil
}

// ldifClass finds the object class that most entries at the beginning of a
// file have, and the attributes of these entries.
func ldifClass(r io.Reader) (class string, attributes []string) {
	piece, err := text.NewPieces(r, ldif.AfterEntry).Next()
	if err != nil {
		return "", nil
	}
	wanted := map[string]bool{"dn": true, "objectclass": true}
	each := func(yield func(*ldif.Entry)) *ldif.Entries {
		entries := ldif.NewEntries(wanted)
		entries.Begin(piece)
		for x, err := entries.Next(); err != io.EOF; x, err = entries.Next() {
			if err == nil {
				yield(x)
			}
		}
		return entries
	}
	count := map[string]int{}
	all := each(func(x *ldif.Entry) {
		for _, a := range x.Attrs {
			if !strings.EqualFold(a.Value, "top") {
				count[a.Value]++
			}
		}
	})
	for _, c := range slices.Sorted(maps.Keys(count)) {
		if count[c] > count[class] {
			class = c
		}
	}
	for name := range all.Skipped {
		wanted[strings.ToLower(name)] = true
	}
	found := map[string]bool{}
	each(func(x *ldif.Entry) {
		for _, a := range x.Attrs {
			if x.Is(class) && a.Name != "objectclass" {
				found[a.Name] = true
			}
		}
	})
	for name := range all.Skipped { // as it is written
		if found[strings.ToLower(name)] {
			attributes = append(attributes, name)
		}
	}
	slices.Sort(attributes)
	return class, attributes
}

// deepest is how deep elements are looked at.
const deepest = 100

// xmlRows finds the element with parts that stands most often at the
// beginning of a file, and the paths below it.
func xmlRows(r io.Reader) (rows string, columns []string) {
	d := xml.NewDecoder(io.LimitReader(r, 1<<20))
	d.CharsetReader = func(_ string, r io.Reader) (io.Reader, error) { return r, nil }
	count, parts := map[string]int{}, map[string]map[string]bool{}
	var within []string
	note := func(depth int, part string) {
		path := strings.Join(within[:depth], "/")
		if parts[path] == nil {
			parts[path] = map[string]bool{}
		}
		parts[path][part] = true
	}
	for token, err := d.Token(); err == nil && len(within) < deepest; token, err = d.Token() {
		switch x := token.(type) {
		case xml.StartElement:
			within = append(within, x.Name.Local)
			count[strings.Join(within, "/")]++
			for depth := 1; depth < len(within); depth++ {
				note(depth, strings.Join(within[depth:], "/"))
			}
			for _, a := range x.Attr {
				for depth := 1; depth <= len(within); depth++ {
					note(depth, strings.Join(append(slices.Clone(within[depth:]), "@"+a.Name.Local), "/"))
				}
			}
		case xml.EndElement:
			within = within[:len(within)-1]
		}
	}
	for _, path := range slices.Sorted(maps.Keys(count)) {
		if len(parts[path]) > 1 && count[path] > count[rows] {
			rows = path
		}
	}
	columns = slices.Sorted(maps.Keys(parts[rows]))
	return rows, slices.DeleteFunc(slices.Clone(columns), func(c string) bool { // of what only holds other parts
		return slices.ContainsFunc(columns, func(o string) bool { return strings.HasPrefix(o, c+"/") })
	})
}

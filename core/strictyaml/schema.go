package strictyaml

import (
	"reflect"
	"strings"
)

// Hints tell a schema what the types of Go do not: which words a field takes,
// and which keys the pairs of a field have. Both by the field's struct and key,
// as "settingsTable.layout".
type Hints struct {
	Words map[string][]string
	Keys  map[string][]string
	Forms map[string]string // a pattern of what is taken beside the words
}

// Schema describes the files that Decode reads into a struct, as JSON Schema
// (draft 2020-12) does, so that editors complete and check them.
func Schema(title string, of reflect.Type, hints Hints) map[string]any {
	s := &schema{hints: hints, defs: map[string]any{}}
	root := s.object(of)
	root["$schema"], root["title"] = "https://json-schema.org/draft/2020-12/schema", title
	if len(s.defs) > 0 {
		root["$defs"] = s.defs
	}
	return root
}

type schema struct {
	hints Hints
	defs  map[string]any
	field reflect.StructField // in work
}

// scalar is a single value, and what of it may be blank.
func (s *schema) scalar() map[string]any {
	one := map[string]any{"type": []string{"string", "number", "boolean"}}
	switch {
	case !takes(s.field, " "):
		one["pattern"] = `\S`
	case !takes(s.field, ""):
		one["minLength"] = 1
	}
	return one
}

// of describes a type; field is where it stands.
func (s *schema) of(t reflect.Type, field string) map[string]any {
	switch {
	case t == reflect.TypeFor[Text](), t.Kind() == reflect.String:
		if words := s.hints.Words[field]; words != nil {
			if form := s.hints.Forms[field]; form != "" {
				return map[string]any{"anyOf": []any{map[string]any{"enum": words}, map[string]any{"type": "string", "pattern": form}}}
			}
			return map[string]any{"enum": words}
		}
		return s.scalar()
	case t.Kind() == reflect.Bool:
		return map[string]any{"enum": []any{"yes", "no", true, false}}
	case t.Kind() == reflect.Int:
		return map[string]any{"type": "integer"}
	case t.Kind() == reflect.Pointer:
		return s.of(t.Elem(), field)
	case t.Kind() == reflect.Slice && isPair(t.Elem()):
		value, _ := t.Elem().FieldByName("Value")
		entry := map[string]any{"type": "object", "additionalProperties": s.of(value.Type, field)}
		if keys := s.hints.Keys[field]; keys != nil {
			entry["propertyNames"] = map[string]any{"enum": keys}
		}
		return entry
	case t.Kind() == reflect.Slice:
		one := s.of(t.Elem(), field)
		return map[string]any{"anyOf": []any{one, map[string]any{"type": "array", "items": one}}} // a value stands for a list of one
	case t.Kind() == reflect.Struct:
		if s.defs[t.Name()] == nil {
			s.defs[t.Name()] = true // in work
			s.defs[t.Name()] = s.object(t)
		}
		reference := map[string]any{"$ref": "#/$defs/" + t.Name()}
		if i := shortField(t); i >= 0 {
			s.field = t.Field(i)
			return map[string]any{"anyOf": []any{s.scalar(), reference}}
		}
		return reference
	}
	return map[string]any{}
}

func (s *schema) object(t reflect.Type) map[string]any {
	properties, required := map[string]any{}, []string{}
	for i := range t.NumField() {
		f := t.Field(i)
		key, _, _ := strings.Cut(f.Tag.Get("yaml"), ",")
		if key == "" {
			continue
		}
		s.field = f
		properties[key] = s.of(f.Type, t.Name()+"."+key)
		if option(f, "required") {
			required = append(required, key)
		}
	}
	object := map[string]any{"type": "object", "properties": properties, "additionalProperties": false}
	if len(required) > 0 {
		object["required"] = required
	}
	return object
}

package record

import (
	"codicil/core/field"
	"slices"
)

// Layout says how a form shows the fields of a kind: in which sections, in what
// order and width, under which label. A layout is lists of what is there, so that
// fields cannot overlap, and Complete puts back what a layout does not name, so
// that none can be lost.
type Layout struct {
	Sections []LayoutSection `json:"sections"`
}

// ScopedLayout is a layout with the scope that it was made for; a company or type of "" is all.
type ScopedLayout struct {
	Kind, Company, Type string
	Layout
}

// LayoutSection is a section of a form.
type LayoutSection struct {
	Key    string        `json:"key"`
	Label  string        `json:"label,omitempty"` // "": the kind's
	Hidden bool          `json:"hidden,omitempty"`
	Fields []LayoutField `json:"fields"`
}

// LayoutField is a field on a form.
type LayoutField struct {
	Key   string `json:"key"`
	Label string `json:"label,omitempty"` // "": the field's own
	// Width is the number of columns of the form's grid, 1 to LayoutColumns.
	Width  int  `json:"width"`
	Hidden bool `json:"hidden,omitempty"`
}

// Labelled returns the kind with the labels that the layout gives its fields; the kind itself
// where it gives none.
func (l Layout) Labelled(kind *Kind) *Kind {
	labelled := kind
	for _, s := range l.Sections {
		for _, f := range s.Fields {
			i := kind.Index(f.Key)
			if f.Label == "" || i < 0 || f.Label == kind.Fields[i].Label {
				continue
			}
			if labelled == kind {
				own := *kind
				own.Fields = slices.Clone(kind.Fields)
				labelled = &own
			}
			labelled.Fields[i].Label = f.Label
		}
	}
	return labelled
}

// LayoutColumns is the number of columns of a form's grid.
const LayoutColumns = 12

// DefaultLayout returns the layout that a kind has as long as nobody made one.
func DefaultLayout(kind *Kind) Layout { return Layout{}.Complete(kind) }

// Complete returns the layout with every field of the kind in it exactly once:
// unknown fields and sections are left out, a field named twice stays where it
// stands first, and one that is missing comes at the end of its section. Fields
// of the lines stay in the section of the lines and others out of it.
func (l Layout) Complete(kind *Kind) Layout {
	whole := Layout{Sections: []LayoutSection{}}
	placed := map[string]bool{}
	for _, s := range l.Sections {
		known := slices.ContainsFunc(kind.Sections, func(k Section) bool { return k.Key == s.Key })
		if !known || whole.section(s.Key) != nil {
			continue
		}
		section := LayoutSection{Key: s.Key, Label: s.Label, Hidden: s.Hidden, Fields: []LayoutField{}}
		for _, f := range s.Fields {
			field := kind.Field(f.Key)
			if field == nil || placed[f.Key] || field.OfLine() != (s.Key == LineSection) {
				continue
			}
			placed[f.Key] = true
			f.Width = clampWidth(f.Width, field)
			section.Fields = append(section.Fields, f)
		}
		whole.Sections = append(whole.Sections, section)
	}
	for _, s := range kind.Sections {
		if whole.section(s.Key) == nil {
			whole.Sections = append(whole.Sections, LayoutSection{Key: s.Key, Fields: []LayoutField{}})
		}
	}
	for i := range kind.Fields {
		f := &kind.Fields[i]
		if section := whole.section(f.Section); !placed[f.Key] && section != nil {
			section.Fields = append(section.Fields, LayoutField{Key: f.Key, Width: clampWidth(0, f)})
		}
	}
	return whole
}

func (l *Layout) section(key string) *LayoutSection {
	if i := slices.IndexFunc(l.Sections, func(s LayoutSection) bool { return s.Key == key }); i >= 0 {
		return &l.Sections[i]
	}
	return nil
}

// clampWidth keeps a width on the grid; a field without one gets the width that
// suits what it holds.
func clampWidth(width int, f *field.Field) int {
	if width < 1 {
		width = f.Width()
	}
	return min(width, LayoutColumns)
}

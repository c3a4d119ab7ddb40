// Package fact says of every value of a submission where it came from, and of
// every value that is not there why it is not. Unknown is a value that
// travels: a struct embeds a Mark, a Mark keeps places and gaps, and whoever
// needs a lost field gets its Gap.
package fact

import (
	"maps"
	"slices"

	"regola.example/regola/internal/core/place"
)

// Kind is why a value is not known.
type Kind string

// The kinds of gaps.
const (
	NotRead     Kind = "not-read"     // it is there, or should be, and cannot be read
	NotAnswered Kind = "not-answered" // the dossier leaves the question open
	NotGiven    Kind = "not-given"    // the part was not handed in: no package, no dossier, no history
	NotAsked    Kind = "not-asked"    // the call did not ask for it: it takes long
	NotInForce  Kind = "not-in-force" // a limit has no value on the day
)

// Gap is one value that is not known.
type Gap struct {
	Kind Kind
	Path string      // the value, as rules name it
	What string      // why it is not known, in words
	At   place.Place // where it would be
}

// Unread is the gap of something that cannot be read, with the reason.
func Unread(what string) Gap { return Gap{Kind: NotRead, What: what} }

// Missing is the gap of a part that was not handed in.
func Missing(what string) Gap { return Gap{Kind: NotGiven, What: what} }

// Unasked is the gap of something that takes long, and that the call did not
// ask for.
func Unasked(what string) Gap { return Gap{Kind: NotAsked, What: what} }

// Unanswered is the gap of a question that the dossier leaves open.
func Unanswered(what string) Gap { return Gap{Kind: NotAnswered, What: what} }

// Mark is embedded in every struct of a tree that rules see. It remembers
// where the struct and its fields came from, and what of it was lost. Field
// names are those of the json tags.
type Mark struct {
	path   string
	absent Kind // what a nil pointer in the struct means
	self   place.Place
	fields []placed
	index  map[string]int32 // of fields, once there are more than maxPlain
	gone   *Gap             // the whole struct was lost
	kept   []string
	lost   map[string]*Gap
}

// Marked is what a struct that embeds Mark offers.
type Marked interface{ marks() *Mark }

func (m *Mark) marks() *Mark { return m }

// Of returns the mark of v, or nil when v has none.
func Of(v any) *Mark {
	if m, ok := v.(Marked); ok {
		return m.marks()
	}
	return nil
}

// Copy is a mark of its own with the same places and gaps, for a struct that is changed
// where the other stays.
func (m *Mark) Copy() Mark {
	c := *m
	c.fields, c.index, c.lost = slices.Clone(m.fields), maps.Clone(m.index), maps.Clone(m.lost)
	return c
}

// Path is the name under which rules see the struct, such as
// "pkg.android.native.libraries[2]". It is set by Stamp.
func (m *Mark) Path() string { return m.path }

// Absent is what a nil pointer in the struct means. It is set by Stamp.
func (m *Mark) Absent() Kind { return m.absent }

// SetAbsent says what a nil pointer in the struct means.
func (m *Mark) SetAbsent(k Kind) { m.absent = k }

// Self is the place of the struct as a whole.
func (m *Mark) Self() place.Place { return m.self }

// SetSelf records the place of the struct.
func (m *Mark) SetSelf(p place.Place) { m.self = p }

// placed is the place of one field. Most stand in a line of a text file: those
// take a third of the memory of a whole place, and a start reads thousands.
type placed struct {
	name, file   string
	line, column int32
	more         *place.Place // where line and column do not say it
}

func (f *placed) place() place.Place {
	if f.more != nil {
		return *f.more
	}
	return place.Place{File: f.file, Line: int(f.line), Column: int(f.column)}
}

// maxPlain is how many fields are looked through one by one: most structs have few, a
// document with a long list has one for each item.
const maxPlain = 32

// Put records the place of a field, by its name. Where the field is known when the
// program is written, the function Put takes it itself.
func (m *Mark) Put(field string, p place.Place) {
	if f := m.placed(field); f != nil {
		*f = newPlaced(field, p)
		return
	}
	m.Add(field, p)
}

func newPlaced(field string, p place.Place) placed {
	f := placed{name: field, file: p.File, line: int32(p.Line), column: int32(p.Column)}
	if f.place() != p {
		f.more = &p
	}
	return f
}

// Add is Put for a field that has no place yet: a document with a long list
// records each item once.
func (m *Mark) Add(field string, p place.Place) {
	m.fields = append(m.fields, newPlaced(field, p))
	if len(m.fields) <= maxPlain {
		return
	}
	if m.index == nil {
		m.index = make(map[string]int32, 4*maxPlain)
		for i, f := range m.fields {
			m.index[f.name] = int32(i)
		}
	}
	m.index[field] = int32(len(m.fields) - 1)
}

// Grow makes room for the places of more fields.
func (m *Mark) Grow(n int) { m.fields = slices.Grow(m.fields, n) }

// placed finds a field. There are few of them, and they are asked for where
// something is found.
func (m *Mark) placed(name string) *placed {
	if m.index != nil {
		if i, ok := m.index[name]; ok {
			return &m.fields[i]
		}
		return nil
	}
	for i := range m.fields {
		if m.fields[i].name == name {
			return &m.fields[i]
		}
	}
	return nil
}

// Field is the place of a field: its own, or that of the struct.
func (m *Mark) Field(name string) place.Place {
	if f := m.placed(name); f != nil {
		return f.place()
	}
	return m.self
}

// HasField tells whether the field's own place is known.
func (m *Mark) HasField(name string) bool { return m.placed(name) != nil }

// Lose records that a field is not known. The first reason stays.
func (m *Mark) Lose(field string, g Gap) {
	if m.lost == nil {
		m.lost = make(map[string]*Gap)
	}
	if m.lost[field] == nil {
		m.lost[field] = &g
	}
}

// LoseAll records that nothing of the struct is known but the fields that are
// kept: those that are known from elsewhere, such as the name of a file that
// is torn. The first reason stays.
func (m *Mark) LoseAll(g Gap, kept ...string) {
	if m.gone == nil {
		m.gone, m.kept = &g, kept
	}
}

// Gone is why the whole struct was lost, or nil.
func (m *Mark) Gone() *Gap { return m.gone }

// Gap is why a field is not known, with its path and its place, or nil when it
// is known.
func (m *Mark) Gap(field string) *Gap {
	g := m.lost[field]
	if g == nil && m.gone != nil && !slices.Contains(m.kept, field) {
		g = m.gone
	}
	if g == nil {
		return nil
	}
	out := *g
	if out.Path == "" {
		out.Path = join(m.path, field)
	}
	if out.At.IsZero() {
		out.At = m.Field(field)
	}
	return &out
}

// Unread is the reason why a field is not known, or "" when it is.
func (m *Mark) Unread(field string) string {
	if g := m.Gap(field); g != nil {
		return g.What
	}
	return ""
}

package fact

import (
	"fmt"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/place"
)

type part struct {
	Mark `json:"-"`
	Name string `json:"name"`
	Size int64  `json:"size"`
}

type common struct {
	Label string `json:"label"`
}

type whole struct {
	Mark   `json:"-"`
	common                  // its fields belong to the whole
	ID     string           `json:"id"`
	Hidden string           `json:"-" alias:"shown"`
	Parts  []*part          `json:"parts"`
	One    part             `json:"one"`
	By     map[string]*part `json:"by"`
	Level  *int64           `json:"level"`
}

func TestMark(t *testing.T) {
	w := &whole{Parts: []*part{{}, {}}, By: map[string]*part{"b": {}, "a": {}}}
	self, line := place.Place{File: "a.yaml"}, place.Place{File: "a.yaml", Line: 3, Column: 5}
	entry := place.Place{File: "a.apk", Entry: "x", Offset: 9}
	w.SetSelf(self)
	Put(w, &w.ID, line)
	Put(w, &w.Hidden, entry)
	Put(w, &w.Label, line)
	assert.Equal(t, line, PlaceOf(w, &w.ID))
	assert.Equal(t, entry, w.Field("shown"), "an alias is a name, and a whole place is kept")
	assert.Equal(t, line, w.Field("label"), "fields of what is embedded belong to the struct")
	assert.Equal(t, self, PlaceOf(w, &w.Level), "of a field without a place the struct's")
	assert.True(t, HasPlace(w, &w.ID))
	assert.False(t, HasPlace(w, &w.Level))
	Put(w, &w.ID, entry)
	assert.Equal(t, entry, PlaceOf(w, &w.ID), "the last one holds")
	assert.Panics(t, func() { other := ""; Put(w, &other, line) })

	Stamp(w, "pkg", NotRead)
	assert.Equal(t, "pkg.parts[1]", w.Parts[1].Path())
	assert.Equal(t, `pkg.by["a"]`, w.By["a"].Path())
	assert.Equal(t, "pkg.one", w.One.Path())
	assert.Equal(t, NotRead, w.One.Absent())

	Lose(w, &w.Level, Unread("torn"))
	Lose(w, &w.Level, Unread("torn again"))
	g := GapOf(w, &w.Level)
	assert.Equal(t, Gap{Kind: NotRead, Path: "pkg.level", What: "torn", At: self}, *g, "the first reason stays")
	assert.Equal(t, "torn", ReasonOf(w, &w.Level))
	assert.Nil(t, GapOf(w, &w.ID))
	assert.Empty(t, ReasonOf(w, &w.ID))
	LoseAll(w.Parts[0], Missing("cut"), &w.Parts[0].Name)
	LoseAll(w.Parts[0], Missing("later"))
	assert.Nil(t, GapOf(w.Parts[0], &w.Parts[0].Name), "what is kept is known")
	assert.Equal(t, "cut", ReasonOf(w.Parts[0], &w.Parts[0].Size))
	assert.Equal(t, "cut", w.Parts[0].Gone().What)
	assert.Equal(t, []string{"pkg.level not-read torn", "pkg.parts[0] not-given cut"}, texts(Gaps(w, "pkg")))
	assert.Equal(t, NotAsked, Unasked("").Kind)
	assert.Equal(t, NotAnswered, Unanswered("").Kind)
	assert.Empty(t, Unknown(w, ""))
	w.Mark.Put("nothing", line)
	w.Mark.Lose("nowhere[3]", Unread(""))
	assert.Equal(t, []string{"nothing", "nowhere[3]"}, Unknown(w, ""))
	assert.Nil(t, Of(7))
	places := Places(w, "pkg")
	assert.Equal(t, self, places["pkg"])
	assert.Equal(t, entry, places["pkg.id"])
	assert.NotContains(t, places, "pkg.level")
}

func texts(gaps []Gap) (out []string) {
	for _, g := range gaps {
		out = append(out, fmt.Sprintf("%s %s %s", g.Path, g.Kind, g.What))
	}
	return out
}

// TestMany has more places than are looked through one by one.
func TestMany(t *testing.T) {
	var m Mark
	m.Grow(100)
	for i := range 100 {
		m.Add(fmt.Sprint(i), place.Place{File: "f", Line: i + 1})
	}
	m.Put("7", place.Place{File: "g"})
	for i, want := range map[int]int{0: 1, 31: 32, 32: 33, 33: 34, 99: 100} {
		assert.Equal(t, want, m.Field(fmt.Sprint(i)).Line)
	}
	assert.Equal(t, "g", m.Field("7").File)
	assert.False(t, m.HasField("100"))
}

func TestInherit(t *testing.T) {
	w := &whole{Parts: []*part{{}}}
	w.SetSelf(place.Place{File: "a"})
	Put(w, &w.One, place.Place{File: "a", Line: 4})
	w.Parts[0].SetSelf(place.Place{File: "own"})
	Inherit(w)
	assert.Equal(t, 4, w.One.Self().Line)
	assert.Equal(t, "own", w.Parts[0].Self().File)
}

func TestBound(t *testing.T) {
	w := &whole{Parts: []*part{{}, {}, {}}}
	Bound(w, 3)
	assert.Len(t, w.Parts, 3)
	Bound(w, 2)
	assert.Empty(t, w.Parts)
	assert.Equal(t, "there are 3 of them; at most 2 are looked at", ReasonOf(w, &w.Parts))
}

func TestNames(t *testing.T) {
	typ := reflect.TypeFor[whole]()
	id, _ := typ.FieldByName("ID")
	hidden, _ := typ.FieldByName("Hidden")
	assert.Equal(t, []string{"id", "id", "", "shown"}, []string{FieldName(id), RuleName(id), FieldName(hidden), RuleName(hidden)})
}

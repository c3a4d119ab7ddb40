package restable_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/protores"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/format/restable"
	"regola.example/regola/internal/seed"
)

// TestEncodingsAgree holds the binary table against the protobuf one of the
// same app, resource by resource.
func TestEncodingsAgree(t *testing.T) {
	bin, err := restable.Parse(seed.Entry(t, seed.APK, "resources.arsc"), nil)
	require.NoError(t, err)
	pb, err := protores.ParseTable(seed.Entry(t, seed.Bundle, "base/resources.pb"), nil)
	require.NoError(t, err)
	assert.Equal(t, pb.Locales(), bin.Locales())
	assert.Equal(t, pb.Strings(), bin.Strings())
	seen, styles := 0, 0
	bin.Names(func(id uint32, typ, name string) {
		want, got := pb.Lookup(id), bin.Lookup(id)
		byConfig := map[resource.Config]string{}
		for _, it := range want {
			byConfig[it.Config] = it.Value.AsString()
		}
		for _, it := range got {
			seen++
			text := it.Value.AsString()
			if want := byConfig[it.Config]; it.Value.Kind != resource.Reference {
				assert.Equal(t, want, text, "%s/%s %+v", typ, name, it.Config)
			}
		}
		assert.Len(t, got, len(want), "%s/%s", typ, name)
		named, numbered := pb.Style(id), bin.Style(id)
		assert.Len(t, numbered, len(named), "%s/%s", typ, name)
		for i, s := range named {
			styles++
			assert.Equal(t, s.Parent, numbered[i].Parent)
			require.Len(t, numbered[i].Items, len(s.Items))
			for j, it := range s.Items {
				assert.Equal(t, it.Attr, numbered[i].Items[j].Attr)
				assert.Equal(t, it.Value.Ref, numbered[i].Items[j].Value.Ref)
				if it.Attr>>24 != 0x01 {
					assert.Equal(t, it.Name, numbered[i].Items[j].Name)
				}
			}
		}
	})
	assert.Equal(t, 2, styles)
	assert.Greater(t, seen, 12)
}

// loop is a table in which two resources point at each other.
type loop struct{}

func (loop) Lookup(id uint32) []resource.Item {
	return []resource.Item{{Value: resource.Value{Kind: resource.Reference, Ref: id ^ 1}}}
}
func (loop) Style(id uint32) []resource.Style {
	return []resource.Style{{Parent: id ^ 1, Items: []resource.StyleItem{{Name: "x"}}}}
}
func (loop) Densities() []int                   { return nil }
func (loop) Locales() []string                  { return nil }
func (loop) Strings() []resource.Coverage       { return nil }
func (loop) Orphans() []string                  { return nil }
func (loop) Texts(func(uint32, string, string)) {}
func (loop) Err() error                         { return nil }

func TestResolveEnds(t *testing.T) {
	got := resource.Resolve(loop{}, resource.Value{Kind: resource.Reference, Ref: 0x7f010000}, nil)
	require.Len(t, got, 1)
	assert.Equal(t, resource.Reference, got[0].Value.Kind)
	assert.Len(t, resource.Inherited(loop{}, 0x7f010000, nil), 2)
}

func FuzzParse(f *testing.F) {
	f.Add(seed.Entry(f, seed.APK, "resources.arsc"))
	f.Add(seed.Entry(f, seed.ShortAPK, "resources.arsc"))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		table, err := restable.Parse(data, nil)
		if err != nil {
			return
		}
		table.Locales()
		for _, id := range []uint32{0x7f010000, 0x7f020001, 0x7f030000, 0x7f060001, 0x01010000} {
			resource.Resolve(table, resource.Value{Kind: resource.Reference, Ref: id}, nil)
			resource.Inherited(table, id, nil)
		}
	})
}

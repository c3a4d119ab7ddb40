package resource_test

import (
	"encoding/binary"
	"testing"

	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of chunks, string pools and typed values, and of damaged
// copies.
func TestOutcomes(t *testing.T) {
	manifest, table := seed.Entry(t, seed.APK, "AndroidManifest.xml"), seed.Entry(t, seed.APK, "resources.arsc")
	pool := func(file []byte, at int) []byte {
		return file[at : at+int(binary.LittleEndian.Uint32(file[at+4:]))]
	}
	seed.Outcomes(t, map[string][]byte{"wide": pool(manifest, 8), "short": pool(table, 12)}, func(data []byte) (any, error) {
		c, err := resource.NextChunk(data, 0)
		if err != nil {
			return nil, err
		}
		p, err := resource.ParsePool(c, nil)
		if err != nil {
			return nil, err
		}
		out := []any{p.Len()}
		for i := range min(p.Len()+2, 200) {
			s, ok := p.String(uint32(i))
			out = append(out, s, ok)
		}
		return append(out, p.Err()), nil
	})
}

// TestValues holds what typed values and densities are as texts.
func TestValues(t *testing.T) {
	var r seed.Record
	var out []any
	for kind := range byte(0x20) {
		for _, data := range []uint32{0, 1, 0x7f010003, 0xff112233, 0xffffffff} {
			v := resource.BinaryValue(kind, data, noTexts(t))
			out = append(out, v, v.AsString())
		}
	}
	for _, dpi := range []int{0, 1, 120, 160, 213, 240, 241, 320, 480, 640, 0xfffe, 0xffff} {
		out = append(out, resource.DensityName(dpi))
	}
	for _, tag := range []string{"", "it", "iw", "en-rGB", "b+sr+Latn", "b+sr+Latn+RS", "in", "ji", "tl", "fil", "zh-rCN", "en-XA", "b+", "de-AT", "xx"} {
		out = append(out, resource.Language(tag), resource.Pseudo(tag))
	}
	e := &resource.Element{Name: "application", Attrs: []resource.Attr{{ID: 0x0101000f, Value: resource.Value{Kind: resource.Bool, Int: 1}}, {ID: 0x01019999}, {NS: resource.AndroidNS, Name: "label"}, {NS: "x", Name: "title"}, {Name: "package"}},
		Children: []*resource.Element{{Name: "activity", Attrs: []resource.Attr{{ID: 0x01010003}}}, {Name: "service"}, {Name: "activity"}}}
	resource.Name(e)
	out = append(out, e, e.Attr("debuggable") != nil, e.Attr("label") != nil, e.Attr("title") != nil, e.Named("title") != nil, e.Plain("package") != nil, e.Plain("label") != nil, e.Child("service") != nil, e.Child("x") == nil, len(e.All("activity")), e.Nameless(), e.Children[0].Nameless(),
		resource.HasID("debuggable"), resource.HasID("kiln"), resource.Public(0x01010003), resource.Public(1))
	r.Whole("values", out, nil)
	seed.Golden(t, "values.txt", r.String())
}

// noTexts is an empty pool.
func noTexts(t *testing.T) *resource.Pool {
	data := make([]byte, 28)
	binary.LittleEndian.PutUint16(data, 1)
	binary.LittleEndian.PutUint16(data[2:], 28)
	binary.LittleEndian.PutUint32(data[4:], 28)
	c, err := resource.NextChunk(data, 0)
	if err != nil {
		t.Fatal(err)
	}
	p, err := resource.ParsePool(c, nil)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

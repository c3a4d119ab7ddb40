package hostile

// resources writes a bundle's resource table with one package of types, each a
// list of entries with their values, each for many configurations.
func resources(types map[string][]entry) []byte {
	pkg := field(nil, 1, number(nil, 1, 0x7f))
	pkg = field(pkg, 2, []byte("org.example.terrafuoco"))
	id := uint64(0)
	for _, name := range []string{"mipmap", "string", "drawable", "style"} {
		id++
		t := field(nil, 1, number(nil, 1, id))
		t = field(t, 2, []byte(name))
		for i, e := range types[name] {
			b := field(nil, 1, number(nil, 1, uint64(i)))
			b = field(b, 2, []byte(e.name))
			for c := range e.configs {
				config := number(nil, 18, uint64(160+c)) // a density of its own
				item := e.item(c)
				b = field(b, 6, field(field(nil, 1, config), 2, item))
			}
			t = field(t, 3, b)
		}
		pkg = field(pkg, 3, t)
	}
	return field(nil, 2, pkg)
}

// entry is a resource: its value in each configuration.
type entry struct {
	name    string
	configs int
	item    func(config int) []byte
}

func reference(id uint64) []byte { return field(nil, 4, field(nil, 1, number(nil, 2, id))) }

func file(path string) []byte { return field(nil, 4, field(nil, 5, field(nil, 1, []byte(path)))) }

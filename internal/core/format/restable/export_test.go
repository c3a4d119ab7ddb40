package restable

import "encoding/binary"

// Names lists type/name of every entry with its id.
func (t *Table) Names(visit func(id uint32, typ, name string)) {
	for _, p := range t.packages {
		for tid, chunks := range p.byID {
			for i := range chunks {
				for e := 0; e < 1<<16; e++ {
					at := chunks[i].offset(uint16(e))
					if at < 0 || at+8 > int64(len(chunks[i].data)) {
						continue
					}
					name, _ := p.keys.String(binary.LittleEndian.Uint32(chunks[i].data[at+4:]))
					visit(uint32(p.ID)<<24|uint32(tid)<<16|uint32(e), p.TypeName(tid), name)
				}
			}
		}
	}
}

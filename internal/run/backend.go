package run

import (
	"errors"
	"path/filepath"

	"regola.example/regola/internal/core/backend"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/pgdump"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/testers"
)

// maxDump bounds a schema dump, in bytes.
const maxDump = 16 << 20

// backendOf reads what a dossier says of the app's backend; nil for nothing.
func backendOf(d *dossier.Dossier, t *tables.Set) (*backend.Backend, place.Problems) {
	if d == nil || d.Backend.Schema == "" && d.Backend.Rules == "" {
		return nil, nil
	}
	var dump, rules *backend.Backend
	var ps place.Problems
	// over keeps the rules on backends from being judged: the file is sound and too much.
	over := func(file, what string) *backend.Backend {
		b := &backend.Backend{}
		gap := fact.Unread(what)
		gap.Path = "backend"
		gap.At = place.Place{File: file}
		fact.LoseAll(b, gap)
		return b
	}
	read := func(key, name string) (string, []byte) {
		file, problem := d.Inside(name)
		if problem == nil {
			data, err := safeopen.Read(file, maxDump)
			var large *safeopen.TooLarge
			switch {
			case err == nil:
				return file, data
			case errors.As(err, &large):
				dump = over(file, name+": "+large.Error())
				return "", nil
			}
			problem = safeopen.Problem(file, err, "correct the path, which is relative to the dossier's folder")
			ps = append(ps, problem)
			return "", nil
		}
		problem.At = d.Backend.Field(key)
		ps = append(ps, problem)
		return "", nil
	}
	if name := d.Backend.Schema; name != "" {
		if file, data := read("schema", name); file != "" {
			s, err := pgdump.Parse(string(data))
			var at *format.Damaged
			var much *format.TooMuch
			switch {
			case errors.As(err, &much):
				dump = over(file, filepath.ToSlash(name)+": "+much.What)
			case errors.As(err, &at):
				ps = append(ps, &place.Problem{At: place.Place{File: file, Offset: at.Offset}, What: at.What, Fix: "write it anew: pg_dump --schema-only DATABASE > " + filepath.ToSlash(name)})
			case err == nil:
				b := d.Backend
				dump = backend.FromDump(file, string(data), s, backend.Setup{Exposed: b.Exposed, Anonymous: b.Anonymous, SignedIn: b.SignedIn, Server: b.Server, Public: b.Public}, t.BackendNames)
			}
		}
	}
	if name := d.Backend.Rules; name != "" {
		if file, data := read("rules", name); file != "" {
			var r backend.Rules
			problems := strictyaml.DecodeKeys(file, data, &r, nil, t.Vocabularies())
			if len(problems) == 0 && r.Regola != dossier.Format {
				problems = append(problems, &place.Problem{At: fact.PlaceOf(&r, &r.Regola), What: "this program reads rules of format 1", Fix: "write regola: 1"})
			}
			if ps = append(ps, problems...); len(problems) == 0 {
				rules = backend.FromRules(&r, t.BackendNames)
			}
		}
	}
	if len(ps) > 0 {
		return nil, ps
	}
	if dump != nil && dump.Gone() != nil {
		return dump, nil
	}
	return backend.Join(dump, rules), nil
}

// maxTesters bounds a list of testers, in bytes.
const maxTesters = 1 << 20

// testersOf reads the list of testers that a dossier names; nil for none.
func testersOf(d *dossier.Dossier, round dossier.Round, keys []string) (*testers.List, place.Problems) {
	if d == nil {
		return nil, nil
	}
	t := &round.Of(d, keys).Testing
	if t.List == "" {
		return nil, nil
	}
	file, problem := d.Inside(t.List)
	if problem != nil {
		problem.At = fact.PlaceOf(t, &t.List)
		return nil, place.Problems{problem}
	}
	data, err := safeopen.Read(file, maxTesters)
	if err != nil {
		return nil, place.Problems{safeopen.Problem(file, err, "correct the path, which is relative to the dossier's folder")}
	}
	return testers.Parse(file, string(data)), nil
}

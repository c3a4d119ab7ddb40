package pgdump_test

import (
	"errors"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/pgdump"
)

// dumps were written by a real server; two of them are the demo's.
var dumps = map[string]string{"sound": "../../../../demo/sound/backend/schema.sql", "half": "../../../../demo/faulty/backend/schema.sql", "open": "testdata/open.dump.sql"}

func dump(t testing.TB, name string) *pgdump.Schema {
	data, err := os.ReadFile(dumps[name])
	require.NoError(t, err)
	s, err := pgdump.Parse(string(data))
	require.NoError(t, err)
	return s
}

func relation(s *pgdump.Schema, name string) *pgdump.Relation {
	for _, r := range s.Relations {
		if r.Name == name {
			return r
		}
	}
	return nil
}

func TestDump(t *testing.T) {
	s := dump(t, "sound")
	assert.GreaterOrEqual(t, s.Version, 13)
	assert.Len(t, s.Relations, 7)
	kilns := relation(s, "kilns")
	assert.Equal(t, []bool{true, true}, []bool{kilns.RLS, kilns.Forced})
	assert.Equal(t, "app_owner", kilns.Owner)
	assert.Equal(t, pgdump.Column{Name: "name", Type: "text", NotNull: true, Default: `'kiln; the "old" one'::text`}, kilns.Columns[2])
	glazes := relation(s, "glaze -- recipes; old")
	require.NotNil(t, glazes, "a quoted name keeps its marks")
	require.Len(t, glazes.Policies, 2)
	assert.Equal(t, "o'clock", glazes.Columns[3].Name)
	assert.Equal(t, []string{"anon", "app_user"}, glazes.Policies[1].Roles)
	assert.Equal(t, "own; firings", relation(s, "firings").Policies[0].Name)
	assert.True(t, relation(s, "my_firings").Invoker)
	assert.Equal(t, []string{"public.firings", "public.kilns"}, relation(s, "my_firings").Over)
	assert.Equal(t, "public.readings", relation(s, "readings_2026").Parent)
	for _, g := range relation(s, "profiles").Grants {
		assert.Equal(t, g.Privileges[0] == "update", g.Columns, "%v", g)
	}
	byName := map[string]*pgdump.Function{}
	for _, f := range s.Functions {
		byName[f.Name] = f
	}
	require.Len(t, byName, 4)
	assert.True(t, byName["export_log"].Definer && byName["export_log"].SearchPath && byName["export_log"].Revoked)
	assert.True(t, byName["touched"].Trigger)
	assert.Equal(t, "sql", byName["degrees"].Language)
	assert.Contains(t, byName["export_log"].Body, "a ; and a ' within")

	s = dump(t, "open")
	assert.Len(t, relation(s, "totals").Over, 1)
	require.Len(t, s.Defaults, 1)
	assert.Equal(t, "anon", s.Defaults[0].To)
	require.Len(t, s.Secrets, 1)
	assert.True(t, relation(s, "trial").Grants[1].Option)
}

func TestStatements(t *testing.T) {
	for src, want := range map[string]func(*pgdump.Schema) bool{
		"CREATE TABLE a (id int);\nALTER TABLE a ENABLE ROW LEVEL SECURITY;ALTER TABLE a DISABLE ROW LEVEL SECURITY": func(s *pgdump.Schema) bool {
			return !s.Relations[0].RLS && s.Relations[0].SwitchedOff
		},
		"CREATE TABLE a (id int); COPY public.a (id) FROM stdin;\n1\t';$$\n2\tCREATE TABLE b (id int);\n\\.\nCREATE TABLE c (id int)": func(s *pgdump.Schema) bool {
			return len(s.Relations) == 2 && s.Relations[0].Rows == 2
		},
		"/* CREATE TABLE x (id int); /* nested */ still */ CREATE TABLE a (b text DEFAULT E'it\\'s; -- no comment', c int)": func(s *pgdump.Schema) bool {
			return len(s.Relations) == 1 && len(s.Relations[0].Columns) == 2
		},
		"CREATE TABLE a (id int); GRANT ALL PRIVILEGES ON ALL TABLES IN SCHEMA public TO anon; REVOKE ALL ON a FROM anon":                 func(s *pgdump.Schema) bool { return len(s.Relations[0].Grants) == 0 && s.Privileges },
		"CREATE TABLE a (id int); GRANT SELECT, INSERT ON a TO anon, b; REVOKE INSERT ON TABLE public.a FROM anon":                        func(s *pgdump.Schema) bool { return len(s.Relations[0].Grants[0].Privileges) == 1 },
		"CREATE TABLE a (id int); CREATE POLICY p ON a USING (true); DROP POLICY p ON a; CREATE TABLE b (id int); DROP TABLE IF EXISTS b": func(s *pgdump.Schema) bool { return len(s.Relations) == 1 && len(s.Relations[0].Policies) == 0 },
		"CREATE ROLE anon LOGIN BYPASSRLS PASSWORD 'x'; ALTER ROLE anon SUPERUSER; GRANT app_owner TO anon": func(s *pgdump.Schema) bool {
			return s.Roles[0].Bypass && s.Roles[0].Superuser && len(s.Secrets) == 1 && s.Members[0].On == "app_owner"
		},
		"SET search_path = api; CREATE TABLE a (id int);": func(s *pgdump.Schema) bool { return s.Relations[0].Schema == "api" },
	} {
		s, err := pgdump.Parse(src)
		require.NoError(t, err, src)
		assert.True(t, want(s), src)
	}
	for src, what := range map[string]string{"": "there is no table", "PGDMP\x01": "custom form", "a\x00b": "no text", "SELECT 1;": "there is no table"} {
		_, err := pgdump.Parse(src)
		var at *format.Damaged
		require.ErrorAs(t, err, &at)
		assert.Contains(t, at.What, what)
	}
	_, err := pgdump.Parse("CREATE ROLE r1; " + many(6000))
	var much *format.TooMuch
	require.ErrorAs(t, err, &much)
	assert.Contains(t, much.What, "more than 5000 tables")
	assert.NotZero(t, much.Offset)
}

func many(n int) string {
	var b strings.Builder
	for i := range n {
		b.WriteString("CREATE TABLE t" + strings.Repeat("x", i%7) + string(rune('a'+i%26)) + strings.Repeat("y", i/200) + strings.Repeat("z", i%200) + " (id int);\n")
	}
	return b.String()
}

func TestLogic(t *testing.T) {
	c := pgdump.Logic("((a = 1) OR (NOT (b IS DISTINCT FROM me()))) AND c BETWEEN 1 AND 2 AND (SELECT true)")
	require.Equal(t, "and", c.Op)
	require.Len(t, c.Sub, 3)
	assert.Equal(t, "or", c.Sub[0].Op)
	assert.Equal(t, "not", c.Sub[0].Sub[1].Op)
	assert.Equal(t, "c between 1 and 2", c.Sub[1].Text)
	assert.Equal(t, "true", c.Sub[2].Text)
	assert.NotPanics(t, func() { pgdump.Logic(strings.Repeat("(", 100_000)) })
	assert.NotPanics(t, func() { pgdump.Logic(strings.Repeat("not ", 10_000)) })
}

func FuzzParse(f *testing.F) {
	for _, n := range dumps {
		data, err := os.ReadFile(n)
		require.NoError(f, err)
		f.Add(string(data))
	}
	f.Add("CREATE TABLE a (id int); GRANT ALL ON ALL TABLES IN SCHEMA public TO PUBLIC, a, b;$x$")
	f.Fuzz(func(t *testing.T, src string) {
		s, err := pgdump.Parse(src)
		if err != nil {
			var at *format.Damaged
			if !errors.As(err, &at) {
				t.Fatalf("%v is no format.Damaged", err)
			}
			return
		}
		for _, r := range s.Relations {
			for _, p := range r.Policies {
				pgdump.Logic(p.Using)
			}
		}
	})
}

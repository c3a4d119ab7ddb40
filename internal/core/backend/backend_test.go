package backend_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/backend"
	"regola.example/regola/internal/core/format/pgdump"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/rulebooks"
)

func names(t *testing.T) *tables.BackendNames {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	return set.BackendNames
}

func of(t *testing.T, src string, setup backend.Setup) *backend.Backend {
	s, err := pgdump.Parse(src)
	require.NoError(t, err)
	return backend.FromDump("schema.sql", src, s, setup, names(t))
}

// TestUntied tells a subquery that is about the row from one that holds for all rows.
func TestUntied(t *testing.T) {
	const tables = `CREATE TABLE public.kilns (id uuid, owner uuid);
CREATE TABLE public.staff (who uuid);
CREATE TABLE public.firings (id uuid, kiln uuid);
ALTER TABLE public.firings ENABLE ROW LEVEL SECURITY;
CREATE FUNCTION public.me() RETURNS uuid LANGUAGE sql STABLE AS $$ SELECT current_setting('request.jwt.claim.sub')::uuid $$;
GRANT SELECT, INSERT ON public.kilns TO app_user;
GRANT SELECT ON public.staff TO app_user;
GRANT SELECT ON public.firings TO app_user;
CREATE POLICY f ON public.firings TO app_user USING (`
	setup := backend.Setup{Exposed: []string{"public"}, SignedIn: []string{"app_user"}}
	for using, want := range map[string]string{
		"EXISTS (SELECT 1 FROM public.kilns k WHERE k.owner = public.me())":                  "signed-in untied",
		"EXISTS (SELECT 1 FROM kilns WHERE owner = me())":                                    "signed-in untied",
		"EXISTS (SELECT 1 FROM public.kilns k WHERE k.id = kiln AND k.owner = public.me())":  "membership",
		"EXISTS (SELECT 1 FROM public.kilns k WHERE k.id = firings.kiln AND k.owner = me())": "membership",
		"kiln IN (SELECT id FROM public.kilns WHERE owner = public.me())":                    "membership",
		"EXISTS (SELECT 1 FROM public.staff s WHERE s.who = public.me())":                    "membership", // only the server writes there
		"EXISTS (SELECT 1 FROM elsewhere.members m WHERE m.who = public.me())":               "unknown",
		"public.me() IN (SELECT owner FROM public.kilns)":                                    "signed-in untied",
	} {
		b := of(t, tables+using+");", setup)
		for _, r := range b.Relations {
			if r.Name != "public.firings" {
				continue
			}
			got := r.Policies[0].Using
			if r.Policies[0].Untied {
				got += " untied"
			}
			assert.Equal(t, want, got, using)
		}
	}
}

// rows are what clients reach of a relation, as who/command: rows.
func rows(b *backend.Backend, name string) map[string]string {
	out := map[string]string{}
	for _, r := range b.Relations {
		for _, q := range r.Reached {
			if r.Name == "public."+name {
				out[q.Who+"/"+q.Command] = q.Rows
			}
		}
	}
	return out
}

// TestServer reads dumps of a real server.
func TestServer(t *testing.T) {
	data, err := os.ReadFile("../format/pgdump/testdata/open.dump.sql")
	require.NoError(t, err)
	b := of(t, string(data), backend.Setup{})
	assert.Equal(t, []string{"anon", "app_user"}, b.Guessed)
	assert.Equal(t, map[string]string{"anonymous/select": "open", "anonymous/insert": "open", "anonymous/truncate": "open", "signed-in/select": "open"}, rows(b, "kilns"))
	assert.Equal(t, map[string]string{"signed-in/select": "bound", "signed-in/insert": "signed-in", "signed-in/update": "none", "signed-in/delete": "none"}, rows(b, "comments"))
	assert.Equal(t, "dated", rows(b, "trial")["anonymous/delete"])
	assert.Equal(t, "ownerless", rows(b, "notes")["signed-in/select"])
	assert.Equal(t, "membership", rows(b, "studios")["signed-in/select"])
	assert.Equal(t, "open", rows(b, "readings_2026")["signed-in/select"], "a partition has policies of its own")
	require.Len(t, b.Functions, 1)
	assert.True(t, b.Functions[0].Everybody && b.Functions[0].Dynamic && !b.Functions[0].SearchPath)
	kinds := map[string]int{}
	for _, w := range b.Weak {
		kinds[w.Kind]++
	}
	assert.Equal(t, map[string]int{"grant-public": 1, "grant-option": 1, "default-privileges": 1, "schema-create": 1, "secret": 1}, kinds)
	assert.Equal(t, "email-address", b.Held[0].Kind)
	assert.Equal(t, 51, b.Relations[0].Self().Line)

	data, err = os.ReadFile("../../../demo/sound/backend/schema.sql")
	require.NoError(t, err)
	b = of(t, string(data), backend.Setup{Anonymous: []string{"anon"}, SignedIn: []string{"app_user"}})
	assert.Empty(t, b.Guessed)
	assert.Empty(t, b.Weak)
	for _, r := range b.Relations {
		for _, q := range r.Reached {
			assert.Contains(t, []string{"bound", "filtered"}, q.Rows, "%s %s %s", r.Name, q.Who, q.Command)
		}
	}
}

func TestConditions(t *testing.T) {
	const head = "CREATE TABLE t (id int NOT NULL, owner_id uuid, kind text);ALTER TABLE t ENABLE ROW LEVEL SECURITY;GRANT SELECT ON t TO app_user;"
	me := "(current_setting('app.user_id', true))::uuid"
	for expr, want := range map[string]string{
		"true": "open", "false": "none", "1 = 1": "open", "1 = 2": "none", "NOT false": "open", "kind = kind": "open", "(SELECT true)": "open", "id IS NOT NULL": "open", "kind IS NOT NULL": "filtered",
		"owner_id = " + me: "bound", "owner_id = " + me + " OR true": "open", "owner_id = " + me + " AND kind = 'x'": "bound", "kind = 'x'": "filtered", "auth.uid() = owner_id": "bound",
		"auth.uid() IS NOT NULL": "signed-in", "owner_id = (SELECT auth.uid())": "bound", "owner_id IS NULL OR owner_id = " + me: "ownerless", "owner_id IS NOT DISTINCT FROM " + me: "ownerless",
		"now() < '2027-01-01'": "dated", "now() < '2027-01-01' AND owner_id = " + me: "bound", "id IN (SELECT f FROM m WHERE u = " + me + ")": "membership", "secret_test(id)": "unknown", "secret_test(id) AND owner_id = " + me: "bound",
	} {
		b := of(t, head+"CREATE POLICY p ON t TO app_user USING ("+expr+")", backend.Setup{})
		assert.Equal(t, want, rows(b, "t")["signed-in/select"], expr)
	}
	// Permissive policies add up, a restrictive one cuts off.
	b := of(t, head+"CREATE POLICY a ON t TO app_user USING (owner_id = "+me+");CREATE POLICY b ON t USING (true);", backend.Setup{})
	assert.Equal(t, "open", rows(b, "t")["signed-in/select"])
	b = of(t, head+"CREATE POLICY a ON t AS RESTRICTIVE TO app_user USING (owner_id = "+me+");CREATE POLICY b ON t USING (true);", backend.Setup{})
	assert.Equal(t, "bound", rows(b, "t")["signed-in/select"])
	b = of(t, "CREATE TABLE t (id int)", backend.Setup{})
	assert.NotNil(t, b.Gap("relations"), "a dump without privileges says nothing of reach")
}

func TestRules(t *testing.T) {
	r := &backend.Rules{Default: "allow", Collections: []*backend.Described{{Name: "firings", Get: "owner", List: "anyone", Create: "owner", Fields: []string{"is_admin", "plan", "note"}, ServerOnly: []string{"plan"}, Holds: []string{"name"}}}}
	b := backend.FromRules(r, names(t))
	c := b.Collections[0]
	assert.Equal(t, []string{"anyone", "owner", "anyone", "owner", "anyone", "anyone"}, []string{c.Read, c.Get, c.List, c.Create, c.Update, c.Delete})
	assert.Equal(t, []string{"is_admin"}, c.Rights)
	assert.Equal(t, "firings", backend.Join(nil, b).Held[0].Place)
}

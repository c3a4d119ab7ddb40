-- The backend of the kiln log, closed as it should be.
CREATE ROLE anon NOLOGIN; CREATE ROLE app_user NOLOGIN; CREATE ROLE app_owner NOLOGIN;
GRANT USAGE ON SCHEMA public TO anon, app_user;
GRANT CREATE ON SCHEMA public TO app_owner;
SET ROLE app_owner;
CREATE TABLE kilns (id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, owner_id uuid NOT NULL, name text NOT NULL DEFAULT 'kiln; the "old" one');
CREATE TABLE firings (id bigint PRIMARY KEY, kiln bigint REFERENCES kilns, owner_id uuid NOT NULL, started timestamptz NOT NULL DEFAULT now(), note text CHECK (note <> ''));
CREATE TABLE "glaze -- recipes; old" (id bigint PRIMARY KEY, owner_id uuid NOT NULL, shared boolean NOT NULL DEFAULT false, "o'clock" text);
CREATE TABLE profiles (id uuid PRIMARY KEY, display_name text, plan text NOT NULL DEFAULT 'free');
CREATE TABLE readings (at timestamptz NOT NULL, firing bigint, degrees int, owner_id uuid NOT NULL) PARTITION BY RANGE (at);
CREATE TABLE readings_2026 PARTITION OF readings FOR VALUES FROM ('2026-01-01') TO ('2027-01-01');
CREATE FUNCTION me() RETURNS uuid LANGUAGE sql STABLE AS $$ SELECT nullif(current_setting('app.user_id', true), '')::uuid $$;
CREATE FUNCTION export_log(kiln bigint, OUT line text) RETURNS SETOF text LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public AS $fn$
BEGIN
  RETURN QUERY SELECT note FROM public.firings f WHERE f.kiln = export_log.kiln AND f.owner_id = public.me(); -- a ; and a ' within
END $fn$;
REVOKE EXECUTE ON FUNCTION export_log(bigint) FROM PUBLIC;
GRANT EXECUTE ON FUNCTION export_log(bigint) TO app_user;
CREATE FUNCTION touched() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog AS $$ BEGIN RETURN NEW; END $$;
CREATE FUNCTION degrees(c int) RETURNS int LANGUAGE sql BEGIN ATOMIC SELECT CASE WHEN c > 0 THEN c * 9 / 5 + 32 ELSE 32 END; END;
CREATE VIEW my_firings WITH (security_invoker = true) AS SELECT f.id, f.note FROM firings f JOIN kilns k ON k.id = f.kiln;
ALTER TABLE kilns ENABLE ROW LEVEL SECURITY; ALTER TABLE kilns FORCE ROW LEVEL SECURITY;
ALTER TABLE firings ENABLE ROW LEVEL SECURITY; ALTER TABLE firings FORCE ROW LEVEL SECURITY;
ALTER TABLE "glaze -- recipes; old" ENABLE ROW LEVEL SECURITY; ALTER TABLE "glaze -- recipes; old" FORCE ROW LEVEL SECURITY;
ALTER TABLE profiles ENABLE ROW LEVEL SECURITY; ALTER TABLE profiles FORCE ROW LEVEL SECURITY;
ALTER TABLE readings ENABLE ROW LEVEL SECURITY; ALTER TABLE readings FORCE ROW LEVEL SECURITY;
ALTER TABLE readings_2026 ENABLE ROW LEVEL SECURITY; ALTER TABLE readings_2026 FORCE ROW LEVEL SECURITY;
CREATE POLICY own ON kilns TO app_user USING (owner_id = nullif(current_setting('app.user_id', true), '')::uuid) WITH CHECK (owner_id = nullif(current_setting('app.user_id', true), '')::uuid);
CREATE POLICY "own; firings" ON firings TO app_user USING (owner_id = (SELECT nullif(current_setting('app.user_id', true), '')::uuid));
CREATE POLICY own ON "glaze -- recipes; old" TO app_user USING (owner_id = nullif(current_setting('app.user_id', true), '')::uuid);
CREATE POLICY shared ON "glaze -- recipes; old" FOR SELECT TO anon, app_user USING (shared);
CREATE POLICY own ON profiles TO app_user USING (id = nullif(current_setting('app.user_id', true), '')::uuid);
CREATE POLICY own ON readings TO app_user USING (owner_id = nullif(current_setting('app.user_id', true), '')::uuid);
GRANT SELECT, INSERT, UPDATE, DELETE ON kilns, firings, "glaze -- recipes; old", readings TO app_user;
GRANT SELECT ON "glaze -- recipes; old" TO anon;
GRANT SELECT, UPDATE (display_name) ON profiles TO app_user;
GRANT SELECT ON my_firings TO app_user;
COMMENT ON TABLE kilns IS 'Kilns; one row each. CREATE POLICY "not" ON nothing';

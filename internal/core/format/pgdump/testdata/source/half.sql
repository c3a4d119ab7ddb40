-- The demo's faulty backend: one table was forgotten, and a view steps around the other.
CREATE ROLE anon NOLOGIN; CREATE ROLE app_user NOLOGIN; CREATE ROLE app_owner NOLOGIN;
GRANT USAGE ON SCHEMA public TO anon, app_user;
GRANT CREATE ON SCHEMA public TO app_owner;
SET ROLE app_owner;
CREATE TABLE kilns (id bigint PRIMARY KEY, owner_id uuid NOT NULL, name text);
CREATE TABLE firings (id bigint PRIMARY KEY, owner_id uuid NOT NULL, note text);
CREATE VIEW all_kilns AS SELECT id, name FROM kilns;
ALTER TABLE kilns ENABLE ROW LEVEL SECURITY; ALTER TABLE kilns FORCE ROW LEVEL SECURITY;
CREATE POLICY own ON kilns TO app_user USING (owner_id = nullif(current_setting('app.user_id', true), '')::uuid);
GRANT SELECT, INSERT, UPDATE, DELETE ON kilns, firings TO app_user;
GRANT SELECT ON firings, all_kilns TO anon;

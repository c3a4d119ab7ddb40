--
-- PostgreSQL database dump
--

\restrict mark

-- Dumped from database version 15.18 (Debian 15.18-0+deb12u1)
-- Dumped by pg_dump version 15.18 (Debian 15.18-0+deb12u1)

SET statement_timeout = 0;
SET lock_timeout = 0;
SET idle_in_transaction_session_timeout = 0;
SET client_encoding = 'UTF8';
SET standard_conforming_strings = on;
SELECT pg_catalog.set_config('search_path', '', false);
SET check_function_bodies = false;
SET xmloption = content;
SET client_min_messages = warning;
SET row_security = off;

--
-- Name: degrees(integer); Type: FUNCTION; Schema: public; Owner: app_owner
--

CREATE FUNCTION public.degrees(c integer) RETURNS integer
    LANGUAGE sql
    BEGIN ATOMIC
 SELECT
         CASE
             WHEN (c > 0) THEN (((c * 9) / 5) + 32)
             ELSE 32
         END AS "case";
END;


ALTER FUNCTION public.degrees(c integer) OWNER TO app_owner;

--
-- Name: export_log(bigint); Type: FUNCTION; Schema: public; Owner: app_owner
--

CREATE FUNCTION public.export_log(kiln bigint, OUT line text) RETURNS SETOF text
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'pg_catalog', 'public'
    AS $$
BEGIN
  RETURN QUERY SELECT note FROM public.firings f WHERE f.kiln = export_log.kiln AND f.owner_id = public.me(); -- a ; and a ' within
END $$;


ALTER FUNCTION public.export_log(kiln bigint, OUT line text) OWNER TO app_owner;

--
-- Name: me(); Type: FUNCTION; Schema: public; Owner: app_owner
--

CREATE FUNCTION public.me() RETURNS uuid
    LANGUAGE sql STABLE
    AS $$ SELECT nullif(current_setting('app.user_id', true), '')::uuid $$;


ALTER FUNCTION public.me() OWNER TO app_owner;

--
-- Name: touched(); Type: FUNCTION; Schema: public; Owner: app_owner
--

CREATE FUNCTION public.touched() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'pg_catalog'
    AS $$ BEGIN RETURN NEW; END $$;


ALTER FUNCTION public.touched() OWNER TO app_owner;

SET default_tablespace = '';

SET default_table_access_method = heap;

--
-- Name: firings; Type: TABLE; Schema: public; Owner: app_owner
--

CREATE TABLE public.firings (
    id bigint NOT NULL,
    kiln bigint,
    owner_id uuid NOT NULL,
    started timestamp with time zone DEFAULT now() NOT NULL,
    note text,
    CONSTRAINT firings_note_check CHECK ((note <> ''::text))
);

ALTER TABLE ONLY public.firings FORCE ROW LEVEL SECURITY;


ALTER TABLE public.firings OWNER TO app_owner;

--
-- Name: glaze -- recipes; old; Type: TABLE; Schema: public; Owner: app_owner
--

CREATE TABLE public."glaze -- recipes; old" (
    id bigint NOT NULL,
    owner_id uuid NOT NULL,
    shared boolean DEFAULT false NOT NULL,
    "o'clock" text
);

ALTER TABLE ONLY public."glaze -- recipes; old" FORCE ROW LEVEL SECURITY;


ALTER TABLE public."glaze -- recipes; old" OWNER TO app_owner;

--
-- Name: kilns; Type: TABLE; Schema: public; Owner: app_owner
--

CREATE TABLE public.kilns (
    id bigint NOT NULL,
    owner_id uuid NOT NULL,
    name text DEFAULT 'kiln; the "old" one'::text NOT NULL
);

ALTER TABLE ONLY public.kilns FORCE ROW LEVEL SECURITY;


ALTER TABLE public.kilns OWNER TO app_owner;

--
-- Name: TABLE kilns; Type: COMMENT; Schema: public; Owner: app_owner
--

COMMENT ON TABLE public.kilns IS 'Kilns; one row each. CREATE POLICY "not" ON nothing';


--
-- Name: kilns_id_seq; Type: SEQUENCE; Schema: public; Owner: app_owner
--

ALTER TABLE public.kilns ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME public.kilns_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);


--
-- Name: my_firings; Type: VIEW; Schema: public; Owner: app_owner
--

CREATE VIEW public.my_firings WITH (security_invoker='true') AS
 SELECT f.id,
    f.note
   FROM (public.firings f
     JOIN public.kilns k ON ((k.id = f.kiln)));


ALTER TABLE public.my_firings OWNER TO app_owner;

--
-- Name: profiles; Type: TABLE; Schema: public; Owner: app_owner
--

CREATE TABLE public.profiles (
    id uuid NOT NULL,
    display_name text,
    plan text DEFAULT 'free'::text NOT NULL
);

ALTER TABLE ONLY public.profiles FORCE ROW LEVEL SECURITY;


ALTER TABLE public.profiles OWNER TO app_owner;

--
-- Name: readings; Type: TABLE; Schema: public; Owner: app_owner
--

CREATE TABLE public.readings (
    at timestamp with time zone NOT NULL,
    firing bigint,
    degrees integer,
    owner_id uuid NOT NULL
)
PARTITION BY RANGE (at);

ALTER TABLE ONLY public.readings FORCE ROW LEVEL SECURITY;


ALTER TABLE public.readings OWNER TO app_owner;

--
-- Name: readings_2026; Type: TABLE; Schema: public; Owner: app_owner
--

CREATE TABLE public.readings_2026 (
    at timestamp with time zone NOT NULL,
    firing bigint,
    degrees integer,
    owner_id uuid NOT NULL
);

ALTER TABLE ONLY public.readings_2026 FORCE ROW LEVEL SECURITY;


ALTER TABLE public.readings_2026 OWNER TO app_owner;

--
-- Name: readings_2026; Type: TABLE ATTACH; Schema: public; Owner: app_owner
--

ALTER TABLE ONLY public.readings ATTACH PARTITION public.readings_2026 FOR VALUES FROM ('2026-01-01 00:00:00+00') TO ('2027-01-01 00:00:00+00');


--
-- Name: firings firings_pkey; Type: CONSTRAINT; Schema: public; Owner: app_owner
--

ALTER TABLE ONLY public.firings
    ADD CONSTRAINT firings_pkey PRIMARY KEY (id);


--
-- Name: glaze -- recipes; old glaze -- recipes; old_pkey; Type: CONSTRAINT; Schema: public; Owner: app_owner
--

ALTER TABLE ONLY public."glaze -- recipes; old"
    ADD CONSTRAINT "glaze -- recipes; old_pkey" PRIMARY KEY (id);


--
-- Name: kilns kilns_pkey; Type: CONSTRAINT; Schema: public; Owner: app_owner
--

ALTER TABLE ONLY public.kilns
    ADD CONSTRAINT kilns_pkey PRIMARY KEY (id);


--
-- Name: profiles profiles_pkey; Type: CONSTRAINT; Schema: public; Owner: app_owner
--

ALTER TABLE ONLY public.profiles
    ADD CONSTRAINT profiles_pkey PRIMARY KEY (id);


--
-- Name: firings firings_kiln_fkey; Type: FK CONSTRAINT; Schema: public; Owner: app_owner
--

ALTER TABLE ONLY public.firings
    ADD CONSTRAINT firings_kiln_fkey FOREIGN KEY (kiln) REFERENCES public.kilns(id);


--
-- Name: firings; Type: ROW SECURITY; Schema: public; Owner: app_owner
--

ALTER TABLE public.firings ENABLE ROW LEVEL SECURITY;

--
-- Name: glaze -- recipes; old; Type: ROW SECURITY; Schema: public; Owner: app_owner
--

ALTER TABLE public."glaze -- recipes; old" ENABLE ROW LEVEL SECURITY;

--
-- Name: kilns; Type: ROW SECURITY; Schema: public; Owner: app_owner
--

ALTER TABLE public.kilns ENABLE ROW LEVEL SECURITY;

--
-- Name: glaze -- recipes; old own; Type: POLICY; Schema: public; Owner: app_owner
--

CREATE POLICY own ON public."glaze -- recipes; old" TO app_user USING ((owner_id = (NULLIF(current_setting('app.user_id'::text, true), ''::text))::uuid));


--
-- Name: kilns own; Type: POLICY; Schema: public; Owner: app_owner
--

CREATE POLICY own ON public.kilns TO app_user USING ((owner_id = (NULLIF(current_setting('app.user_id'::text, true), ''::text))::uuid)) WITH CHECK ((owner_id = (NULLIF(current_setting('app.user_id'::text, true), ''::text))::uuid));


--
-- Name: profiles own; Type: POLICY; Schema: public; Owner: app_owner
--

CREATE POLICY own ON public.profiles TO app_user USING ((id = (NULLIF(current_setting('app.user_id'::text, true), ''::text))::uuid));


--
-- Name: readings own; Type: POLICY; Schema: public; Owner: app_owner
--

CREATE POLICY own ON public.readings TO app_user USING ((owner_id = (NULLIF(current_setting('app.user_id'::text, true), ''::text))::uuid));


--
-- Name: firings own; firings; Type: POLICY; Schema: public; Owner: app_owner
--

CREATE POLICY "own; firings" ON public.firings TO app_user USING ((owner_id = ( SELECT (NULLIF(current_setting('app.user_id'::text, true), ''::text))::uuid AS "nullif")));


--
-- Name: profiles; Type: ROW SECURITY; Schema: public; Owner: app_owner
--

ALTER TABLE public.profiles ENABLE ROW LEVEL SECURITY;

--
-- Name: readings; Type: ROW SECURITY; Schema: public; Owner: app_owner
--

ALTER TABLE public.readings ENABLE ROW LEVEL SECURITY;

--
-- Name: readings_2026; Type: ROW SECURITY; Schema: public; Owner: app_owner
--

ALTER TABLE public.readings_2026 ENABLE ROW LEVEL SECURITY;

--
-- Name: glaze -- recipes; old shared; Type: POLICY; Schema: public; Owner: app_owner
--

CREATE POLICY shared ON public."glaze -- recipes; old" FOR SELECT TO anon, app_user USING (shared);


--
-- Name: SCHEMA public; Type: ACL; Schema: -; Owner: pg_database_owner
--

GRANT USAGE ON SCHEMA public TO anon;
GRANT USAGE ON SCHEMA public TO app_user;
GRANT CREATE ON SCHEMA public TO app_owner;


--
-- Name: FUNCTION export_log(kiln bigint, OUT line text); Type: ACL; Schema: public; Owner: app_owner
--

REVOKE ALL ON FUNCTION public.export_log(kiln bigint, OUT line text) FROM PUBLIC;
GRANT ALL ON FUNCTION public.export_log(kiln bigint, OUT line text) TO app_user;


--
-- Name: TABLE firings; Type: ACL; Schema: public; Owner: app_owner
--

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.firings TO app_user;


--
-- Name: TABLE "glaze -- recipes; old"; Type: ACL; Schema: public; Owner: app_owner
--

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public."glaze -- recipes; old" TO app_user;
GRANT SELECT ON TABLE public."glaze -- recipes; old" TO anon;


--
-- Name: TABLE kilns; Type: ACL; Schema: public; Owner: app_owner
--

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.kilns TO app_user;


--
-- Name: TABLE my_firings; Type: ACL; Schema: public; Owner: app_owner
--

GRANT SELECT ON TABLE public.my_firings TO app_user;


--
-- Name: TABLE profiles; Type: ACL; Schema: public; Owner: app_owner
--

GRANT SELECT ON TABLE public.profiles TO app_user;


--
-- Name: COLUMN profiles.display_name; Type: ACL; Schema: public; Owner: app_owner
--

GRANT UPDATE(display_name) ON TABLE public.profiles TO app_user;


--
-- Name: TABLE readings; Type: ACL; Schema: public; Owner: app_owner
--

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.readings TO app_user;


--
-- PostgreSQL database dump complete
--

\unrestrict mark


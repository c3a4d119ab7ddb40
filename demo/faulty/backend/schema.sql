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

SET default_tablespace = '';

SET default_table_access_method = heap;

--
-- Name: kilns; Type: TABLE; Schema: public; Owner: app_owner
--

CREATE TABLE public.kilns (
    id bigint NOT NULL,
    owner_id uuid NOT NULL,
    name text
);

ALTER TABLE ONLY public.kilns FORCE ROW LEVEL SECURITY;


ALTER TABLE public.kilns OWNER TO app_owner;

--
-- Name: all_kilns; Type: VIEW; Schema: public; Owner: app_owner
--

CREATE VIEW public.all_kilns AS
 SELECT kilns.id,
    kilns.name
   FROM public.kilns;


ALTER TABLE public.all_kilns OWNER TO app_owner;

--
-- Name: firings; Type: TABLE; Schema: public; Owner: app_owner
--

CREATE TABLE public.firings (
    id bigint NOT NULL,
    owner_id uuid NOT NULL,
    note text
);


ALTER TABLE public.firings OWNER TO app_owner;

--
-- Name: firings firings_pkey; Type: CONSTRAINT; Schema: public; Owner: app_owner
--

ALTER TABLE ONLY public.firings
    ADD CONSTRAINT firings_pkey PRIMARY KEY (id);


--
-- Name: kilns kilns_pkey; Type: CONSTRAINT; Schema: public; Owner: app_owner
--

ALTER TABLE ONLY public.kilns
    ADD CONSTRAINT kilns_pkey PRIMARY KEY (id);


--
-- Name: kilns; Type: ROW SECURITY; Schema: public; Owner: app_owner
--

ALTER TABLE public.kilns ENABLE ROW LEVEL SECURITY;

--
-- Name: kilns own; Type: POLICY; Schema: public; Owner: app_owner
--

CREATE POLICY own ON public.kilns TO app_user USING ((owner_id = (NULLIF(current_setting('app.user_id'::text, true), ''::text))::uuid));


--
-- Name: SCHEMA public; Type: ACL; Schema: -; Owner: pg_database_owner
--

GRANT USAGE ON SCHEMA public TO anon;
GRANT USAGE ON SCHEMA public TO app_user;
GRANT CREATE ON SCHEMA public TO app_owner;


--
-- Name: TABLE kilns; Type: ACL; Schema: public; Owner: app_owner
--

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.kilns TO app_user;


--
-- Name: TABLE all_kilns; Type: ACL; Schema: public; Owner: app_owner
--

GRANT SELECT ON TABLE public.all_kilns TO anon;


--
-- Name: TABLE firings; Type: ACL; Schema: public; Owner: app_owner
--

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.firings TO app_user;
GRANT SELECT ON TABLE public.firings TO anon;


--
-- PostgreSQL database dump complete
--

\unrestrict mark


-- Everything PostgreSQL lets people do, in one made-up database.
DROP SCHEMA IF EXISTS odd, "odd.too" CASCADE;
CREATE SCHEMA odd;
CREATE SCHEMA "odd.too";
SET search_path = odd, public;
CREATE TYPE colour AS ENUM ('red', 'it''s "blue"', '100%', '');
CREATE TYPE place AS (street text, house integer);
CREATE DOMAIN tags AS text[];
CREATE DOMAIN shade AS colour;
CREATE TABLE kinds (
    id bigserial PRIMARY KEY, tm time, tmz time with time zone, ts timestamp(0), tz timestamptz, d date, iv interval, f4 real, f8 double precision, n numeric, n0 numeric(40, 0), n20 numeric(60, 30), nh numeric(5, -2) DEFAULT 12345,
    i2 smallint, i8 bigint, b boolean, c "char", nm name, o oid, rc regclass, lsn pg_lsn, tv tsvector, pt point, pg polygon, bx box, ci cidr, mac macaddr, bv varbit(9), b1 bit, x xml, j json, jb jsonb,
    u uuid, m money, r1 int4range, r2 tstzrange, mr int4multirange, col colour, shd shade, cols colour[], tg tags, pl place, pls place[], txts text[][], by bytea, ch char(5), vc varchar(3), gen integer GENERATED ALWAYS AS (i2 * 2) STORED
);
INSERT INTO kinds (tm, tmz, ts, tz, d, iv, f4, f8, n, n0, n20, i2, i8, b, c, nm, o, rc, lsn, tv, pt, pg, bx, ci, mac, bv, b1, x, j, jb, u, m, r1, r2, mr, col, shd, cols, tg, pl, pls, txts, by, ch, vc)
VALUES
    ('23:59:59.999999', '10:00+02', '2024-02-29 12:00', '2024-02-29 12:00+00', '2024-02-29', '1 year 2 mons -3 days 04:05:06.7', 1.1, 1e300, 'NaN', 9999999999999999999999999999999999999999, 0.000000000000000000000000000001,
     -32768, 9223372036854775807, true, 'x', 'n', 42, 'pg_class', '0/16B3748', 'a fat cat', '(1,2)', '((0,0),(1,1),(2,0))', '((0,0),(1,1))', '10.0.0.0/8', '08:00:2b:01:02:03', '101', '1', '<a>&amp;</a>', '{"a": [1, 2]}', '{"b": null}',
     'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11', '-1234.56', '[1,5)', '[2024-01-01,)', '{[1,3),[5,7)}', 'red', '100%', '{red,"100%"}', '{a,NULL,"b c"}', '("Quay ""Road""",7)', '{"(a,1)"}', '{{a,b},{c,d}}', '\x00ff', 'ab', 'xyz'),
    ('24:00', '00:00-15:59', '-infinity', 'infinity', 'infinity', '-178000000 years', 'NaN', 'Infinity', 'Infinity', 0, -1, 32767, -9223372036854775808, false, '', '', 0, 0, '0/0', '', '(NaN,Infinity)', NULL, NULL, '::/0', '00:00:00:00:00:00', '', '0', '', 'null', '[]',
     '00000000-0000-0000-0000-000000000000', '92233720368547758.07', 'empty', '(,)', '{}', '', 'it''s "blue"', '{}', '{}', '(,)', '{}', '{}', '', '', ''),
    (NULL, NULL, '20211-01-01 00:00', '4713-01-01 00:00:00+00 BC', '5874897-12-31', NULL, '-0', '-Infinity', '-Infinity', NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL,
     NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL),
    (NULL, NULL, NULL, NULL, '0044-03-15 BC', NULL, NULL, NULL, 1e400, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL,
     NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL);
CREATE TABLE "Percent 100% : ' "" ; --" ("key %s" integer PRIMARY KEY, "a:b" text, "%(x)s" text, "tab	and
line" text, "naïve ünï 名前" text, "SELECT" text, "a.b.c" text, " lead" text, "x;y" text, "?" text, "$1" text, "\back" text, "{brace}" text, "id" text, "ID" text, "Id" text);
INSERT INTO "Percent 100% : ' "" ; --" VALUES (1, 'p', 'q', 'r', 's', 't', 'u', 'v', 'w', 'x', 'y', 'z', 'aa', 'bb', 'cc', 'dd');
CREATE TABLE "odd.too".kinds (id integer PRIMARY KEY, kinds_id bigint REFERENCES kinds, self_id integer REFERENCES "odd.too".kinds, name text);
INSERT INTO "odd.too".kinds VALUES (1, 1, NULL, 'first'), (2, 1, 1, 'second'), (3, NULL, 2, NULL);
CREATE TABLE pair (a integer, b text, note text, PRIMARY KEY (b, a));
CREATE TABLE pair_line (a integer, b text, line integer, PRIMARY KEY (a, b, line), FOREIGN KEY (b, a) REFERENCES pair);
INSERT INTO pair VALUES (1, 'x', 'one'), (2, 'x', 'two');
INSERT INTO pair_line VALUES (1, 'x', 1), (1, 'x', 2), (2, 'x', 1);
CREATE TABLE egg (id integer PRIMARY KEY, hen_id integer);
CREATE TABLE hen (id integer PRIMARY KEY, egg_id integer REFERENCES egg);
ALTER TABLE egg ADD FOREIGN KEY (hen_id) REFERENCES hen DEFERRABLE;
CREATE TABLE ends (id integer PRIMARY KEY, one "char", tz timestamptz, ts timestamp, d date, j json);
INSERT INTO ends VALUES (1, 'a', '9999-12-31 23:59:59+00', '9999-12-31 23:59:59', '9999-12-31', '{"a": 1}'), (2, '', '0001-01-01 00:00:00+00', '0001-01-01', '0001-01-01', '{"a": 1}'),
    (3, NULL, 'infinity', '-infinity', 'infinity', '[]'), (4, NULL, '10000-01-01 00:30:00+00', '294276-12-31 23:59:59', '5874897-12-31', NULL), (5, NULL, '2026-07-01 12:00:00+00', '4713-01-01 12:00:00 BC', '4713-01-01 BC', NULL);
CREATE TABLE by_code (code text UNIQUE, label text);
CREATE TABLE uses_code (id integer PRIMARY KEY, code text REFERENCES by_code (code));
INSERT INTO by_code VALUES ('a', 'A'), (NULL, 'nobody');
INSERT INTO uses_code VALUES (1, 'a'), (2, NULL);
CREATE TABLE no_columns ();
CREATE TABLE no_rows (id integer PRIMARY KEY, name text);
CREATE TABLE only_files (id integer PRIMARY KEY, data bytea);
CREATE TABLE secret_in_part (id integer PRIMARY KEY, open text, secret text);
INSERT INTO secret_in_part VALUES (1, 'open', 'secret');
CREATE TABLE not_for_us (id integer PRIMARY KEY);
CREATE VIEW same_names AS SELECT id AS a, id AS "A", id AS "a " FROM no_rows;
CREATE VIEW failing AS SELECT 1 / 0 AS x;
CREATE VIEW misread AS SELECT n, CASE n WHEN 3 THEN 'no connection' ELSE n::text END::integer AS x FROM generate_series(1, 3) n;
CREATE UNLOGGED TABLE parent_of (id integer, v text);
CREATE TABLE child_of (extra text) INHERITS (parent_of);
INSERT INTO child_of VALUES (1, 'v', 'e');
DO $$ BEGIN EXECUTE 'CREATE TABLE wide (id integer PRIMARY KEY, ' || (SELECT string_agg('c' || n || ' integer', ', ') FROM generate_series(1, 1500) n) || ')'; END $$;
INSERT INTO wide (id, c1, c1500) VALUES (1, 1, 1500);
GRANT USAGE ON SCHEMA odd, "odd.too" TO marrowby_reader;
GRANT SELECT ON ALL TABLES IN SCHEMA odd, "odd.too" TO marrowby_reader;
REVOKE SELECT ON not_for_us, secret_in_part FROM marrowby_reader;
GRANT SELECT (id, open) ON secret_in_part TO marrowby_reader;
ANALYZE kinds;
CREATE VIEW slow AS SELECT n, pg_sleep(60)::text AS never FROM generate_series(1, 3) n;
GRANT SELECT ON slow TO marrowby_reader;

-- The ferry line: a made-up house that nobody curated. Four schemas, odd names, every kind of table and value.
DROP SCHEMA IF EXISTS booking, fleet, "Ops Desk" CASCADE;
DROP TABLE IF EXISTS public.harbour, public.legacy_manifest, public.setting CASCADE;
CREATE SCHEMA booking;
CREATE SCHEMA fleet;
CREATE SCHEMA "Ops Desk";
SET search_path = public;

CREATE TABLE public.harbour (
    harbour_id integer PRIMARY KEY, hrb_cd char(3) NOT NULL UNIQUE, "HarbourName" text NOT NULL, country_code char(2),
    lat numeric(8, 5), lon numeric(8, 5), opened_on date, closed_on date, created_at timestamptz NOT NULL, updated_at timestamptz
);
COMMENT ON TABLE public.harbour IS 'A place where our ferries land.';
COMMENT ON COLUMN public.harbour.hrb_cd IS 'Three letters, as painted on the quay';
INSERT INTO public.harbour
SELECT n, (ARRAY['SKE','ORD','WIN','MAL','TOR','BEL','HAV','GRA'])[n], (ARRAY['Skerry Point','Ordholm','Winterquay','Malmsand','Torvik','Bellhaven','Havn','Gravelport'])[n],
    (ARRAY['NN','NN','WW','WW','NN','EE','EE','WW'])[n], 54 + n / 10.0, 3 + n / 7.0, DATE '1950-04-01' + n * 400, CASE WHEN n = 8 THEN DATE '2019-12-31' END,
    TIMESTAMPTZ '2015-01-01 08:00+00', TIMESTAMPTZ '2024-05-01 08:00+00' + n * INTERVAL '3 days'
FROM generate_series(1, 8) n;

CREATE TYPE fleet.vessel_state AS ENUM ('in_service', 'laid_up', 'sold');
CREATE DOMAIN fleet.tonnes AS numeric(8, 1) CHECK (VALUE >= 0);
CREATE TABLE fleet.vessel (
    imo_no varchar(10) PRIMARY KEY, vessel_name text NOT NULL UNIQUE, state fleet.vessel_state NOT NULL DEFAULT 'in_service',
    gross fleet.tonnes, length_m numeric(6, 2), decks smallint, routes text[], lifeboats integer[], service_years int4range,
    inspection_gap interval, tracker_ip inet, uid uuid NOT NULL, photo bytea, papers xml, extras jsonb, book_value money,
    flags bit(4), built_on date, always_true boolean DEFAULT true, nothing text, home_harbour integer REFERENCES public.harbour
);
INSERT INTO fleet.vessel
SELECT 'IMO9' || lpad((n * 7919 % 1000000)::text, 6, '0'), (ARRAY['Auk','Brant','Curlew','Dunlin','Eider','Fulmar'])[1 + n % 6] || ' ' || (ARRAY['I','II','III'])[1 + n / 6],
    (ARRAY['in_service','in_service','laid_up','sold'])[1 + n % 4]::fleet.vessel_state, 900.5 + n * 37, 61.25 + n, 2 + n % 4,
    CASE WHEN n % 5 > 0 THEN (ARRAY['north','south','night'])[1:1 + n % 3] END, ARRAY[2, n], int4range(1990 + n, CASE WHEN n % 3 > 0 THEN 2020 + n END),
    n * INTERVAL '1 day 2 hours', ('10.0.0.' || n)::inet, md5(n::text)::uuid, decode('ffd8', 'hex'), xmlelement(name papers, n), jsonb_build_object('crew', 12 + n, 'bar', n % 2 = 0),
    (1000000 + n * 1500.5)::numeric::money, (n % 16)::bit(4), CASE WHEN n = 0 THEN DATE '-infinity' ELSE DATE '1989-03-01' + n * 365 END, true, NULL, 1 + n % 8
FROM generate_series(0, 17) n;

CREATE TABLE booking.customer (
    customer_no bigint PRIMARY KEY, last_name text, first_name text, e_mail text, phone_no text, dob date, "Street Address" text, loyalty_lvl char(1) CHECK (loyalty_lvl IN ('B', 'S', 'G')),
    newsletter smallint, last_seen timestamp, deleted_at timestamptz
);
INSERT INTO booking.customer
SELECT 40000 + n, (ARRAY['Abel','Brook','Carr','Dunn','Ellis','Frost','Gray'])[1 + n % 7], (ARRAY['Ada','Ben','Cleo','Dov','Eve'])[1 + n % 5],
    'guest' || n || '@mail.example', '+44 1632 96' || lpad((n % 10000)::text, 4, '0'), DATE '1950-01-01' + n * 17 % 20000, n || ' Quay Road', (ARRAY['B','B','S','G'])[1 + n % 4],
    n % 2, TIMESTAMP '2025-01-01 10:00' + n * INTERVAL '7 hours', CASE WHEN n % 40 = 0 THEN TIMESTAMPTZ '2025-02-01 00:00+00' END
FROM generate_series(1, 1200) n;

CREATE TABLE booking.fare_type (code char(2) PRIMARY KEY, label text NOT NULL, sort_order integer);
INSERT INTO booking.fare_type VALUES ('FL', 'Flexible', 1), ('SA', 'Saver', 2), ('CR', 'Crew', 3), ('FR', 'Freight', 4);

CREATE TABLE booking.booking (
    booking_id bigint GENERATED ALWAYS AS IDENTITY, booking_ref varchar(8) NOT NULL, customer_no bigint, vessel_imo varchar(10), dep_harbour_id integer, arr_harbour_id integer,
    fare char(2), status text NOT NULL, departs_at timestamptz NOT NULL, booked_on date NOT NULL, valid_until date, amount_txt text, pd_date_txt text, price numeric(10, 2), vat_pct numeric(4, 1),
    passengers smallint, weight_kg numeric(8, 1), remarks text, modified_by text, modified_at timestamptz,
    total numeric(12, 2) GENERATED ALWAYS AS (price * passengers) STORED, PRIMARY KEY (booking_id, departs_at)
) PARTITION BY RANGE (departs_at);
CREATE TABLE booking.booking_2024 PARTITION OF booking.booking FOR VALUES FROM (MINVALUE) TO ('2025-01-01');
CREATE TABLE booking.booking_2025 PARTITION OF booking.booking FOR VALUES FROM ('2025-01-01') TO (MAXVALUE);
INSERT INTO booking.booking (booking_ref, customer_no, vessel_imo, dep_harbour_id, arr_harbour_id, fare, status, departs_at, booked_on, valid_until, amount_txt, pd_date_txt, price, vat_pct, passengers, weight_kg, remarks, modified_by, modified_at)
SELECT 'F' || lpad(n::text, 6, '0'), 40001 + n % 1200, (SELECT imo_no FROM fleet.vessel ORDER BY imo_no OFFSET n % 18 LIMIT 1), 1 + n % 8, 1 + (n + 3) % 8,
    (ARRAY['FL','SA','SA','FR'])[1 + n % 4], (ARRAY['open','paid','sailed','cancelled'])[1 + n % 4], TIMESTAMPTZ '2024-06-01 06:00+00' + n * INTERVAL '4 hours', DATE '2024-05-01' + n / 6,
    CASE WHEN n % 9 = 0 THEN 'infinity'::date ELSE DATE '2026-01-01' + n % 300 END, CASE WHEN n % 50 = 0 THEN 'n/a' ELSE (n * 1.5)::numeric(10,2)::text END, to_char(DATE '2024-05-02' + n / 6, 'DD.MM.YYYY'),
    19.90 + n % 70, 25.0, 1 + n % 6, 40.5 + n % 900, CASE WHEN n % 7 = 0 THEN 'Needs a ramp' END, (ARRAY['kai','mo','lin'])[1 + n % 3], TIMESTAMPTZ '2025-07-01 00:00+00' + n * INTERVAL '1 hour'
FROM generate_series(1, 3000) n;

CREATE TABLE "Ops Desk"."Crew Member" (
    "Crew No" integer PRIMARY KEY, "Full Name" text NOT NULL, "order" integer, "select" text, "Rank" varchar(20), hired date, "e-mail" text, "a.b" text, "quote""d" text
);
INSERT INTO "Ops Desk"."Crew Member"
SELECT n, (ARRAY['Kim','Lou','Max','Noa'])[1 + n % 4] || ' ' || (ARRAY['Hale','Iver','Jarl'])[1 + n % 3], n % 5, 'x' || n, (ARRAY['Master','Mate','Engineer','Steward'])[1 + n % 4], DATE '2010-01-01' + n * 31,
    'crew' || n || '@line.example', 'dot ' || n, 'q' || n FROM generate_series(1, 60) n;
CREATE TABLE "Ops Desk"."Duty" (crew_no integer NOT NULL REFERENCES "Ops Desk"."Crew Member", day date NOT NULL, shift time NOT NULL, hours numeric(4, 2), note text, PRIMARY KEY (crew_no, day));
INSERT INTO "Ops Desk"."Duty" SELECT 1 + n % 60, DATE '2025-01-01' + n / 60, TIME '06:00' + (n % 3) * INTERVAL '8 hours', 7.5 + n % 3, NULL FROM generate_series(0, 1199) n;

-- No key at all; two lines may be alike.
CREATE TABLE public.legacy_manifest (line text, item text, qty integer, landed date);
INSERT INTO public.legacy_manifest SELECT 'L' || n % 40, (ARRAY['Crates','Cattle','Mail'])[1 + n % 3], n % 9, DATE '1999-01-01' + n % 200 FROM generate_series(1, 500) n;
-- No primary key, but something unique that is never empty.
CREATE TABLE public.setting (name text NOT NULL UNIQUE, value text);
INSERT INTO public.setting VALUES ('currency', 'ferry crown'), ('season', 'all year');

CREATE VIEW booking.open_bookings AS SELECT booking_id, booking_ref, customer_no, price, departs_at FROM booking.booking WHERE status = 'open';
CREATE MATERIALIZED VIEW fleet.sailings_per_vessel AS SELECT vessel_imo, count(*) AS sailings, sum(total) AS income FROM booking.booking GROUP BY vessel_imo;

GRANT USAGE ON SCHEMA booking, fleet, "Ops Desk", public TO marrowby_reader;
GRANT SELECT ON ALL TABLES IN SCHEMA booking, fleet, "Ops Desk", public TO marrowby_reader;
ANALYZE;

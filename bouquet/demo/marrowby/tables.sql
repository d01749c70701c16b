-- The application database of the parks and trees service of Marrowby (an invented town),
-- as it grew over fifteen years.

CREATE TABLE ward (
    w_id integer PRIMARY KEY, w_code text NOT NULL UNIQUE, w_name text NOT NULL, w_pop integer, w_ha numeric(8, 2)
);
CREATE TABLE lu_site_kind (code text PRIMARY KEY, label text NOT NULL);
CREATE TABLE site (
    s_id integer PRIMARY KEY, s_code text NOT NULL, s_name text NOT NULL, s_kind text, ward_id integer REFERENCES ward,
    s_ha numeric(10, 3), s_open date, s_note text
);
CREATE TABLE species (
    sp_id integer PRIMARY KEY, sp_code text NOT NULL UNIQUE, sp_bot text NOT NULL, sp_com text, sp_fam text,
    sp_native boolean, sp_max_m numeric(4, 1)
);
CREATE TABLE lu_tree_status (code text PRIMARY KEY, label text NOT NULL);
CREATE TABLE tree (
    t_id bigint PRIMARY KEY, t_tag text NOT NULL UNIQUE, sp_id integer REFERENCES species, s_id integer, t_st text,
    t_girth numeric(7, 2), t_girth_old integer, t_height numeric(5, 1), t_planted date, t_lat numeric(9, 6),
    t_lon numeric(9, 6), t_reg text, t_val numeric(12, 2), t_note text, t_seal text, extra jsonb,
    t_created timestamp, t_changed timestamptz, deleted_at timestamptz
);
COMMENT ON COLUMN tree.t_girth IS 'Girth of the stem at 1.5 m';
CREATE TABLE tree_attr (t_id bigint, attr text, val text, PRIMARY KEY (t_id, attr));
CREATE TABLE crew (c_id integer PRIMARY KEY, c_code text NOT NULL, c_name text NOT NULL, c_depot text);
CREATE TABLE shift (
    sh_id integer PRIMARY KEY, c_id integer REFERENCES crew, sh_from timestamptz, sh_to timestamptz, sh_closed boolean
);
CREATE TABLE contractor (
    co_id integer PRIMARY KEY, co_code text NOT NULL UNIQUE, co_name text NOT NULL, co_mail text, co_acct text,
    co_active boolean
);
CREATE TABLE lu_risk (code integer PRIMARY KEY, label text NOT NULL);
CREATE TABLE inspection (
    i_id bigint PRIMARY KEY, t_id bigint, i_on date, i_at timestamptz, i_by text, i_risk integer, i_lean numeric(4, 1),
    i_rem text, i_next date, i_climb boolean, i_min integer, i_changed timestamptz
);
CREATE TABLE lu_defect_kind (code text PRIMARY KEY, label text NOT NULL);
CREATE TABLE defect (d_id bigint PRIMARY KEY, i_id bigint REFERENCES inspection, d_kind text, d_sev integer, d_txt text);
CREATE TABLE lu_wo_status (code text PRIMARY KEY, label text NOT NULL);
CREATE TABLE work_order (
    wo_id bigint PRIMARY KEY, wo_no text NOT NULL UNIQUE, t_id bigint, co_id integer REFERENCES contractor,
    c_id integer REFERENCES crew, wo_st text, wo_raised date, wo_closed timestamptz, wo_prio integer, wo_txt text
);
CREATE TABLE wo_line (
    wl_id bigint PRIMARY KEY, wl_no text NOT NULL, wo_id bigint REFERENCES work_order, wl_item text, wl_qty numeric(9, 3),
    wl_price numeric(10, 2), wl_amount numeric(12, 2), wl_done date
);
CREATE TABLE rp_report (
    rp_id bigint PRIMARY KEY, rp_no text NOT NULL UNIQUE, rp_nm text, rp_ph1 text, rp_em text, rp_addr text, rp_txt text,
    rp_st text, rp_at timestamptz, s_id integer, t_id bigint
);
CREATE TABLE photograph (
    ph_id bigint PRIMARY KEY, t_id bigint REFERENCES tree, ph_at timestamp, ph_name text, ph_data bytea
);
CREATE TABLE probe (p_id integer PRIMARY KEY, p_code text NOT NULL, s_id integer REFERENCES site, p_depth integer);
CREATE TABLE probe_reading (
    pr_id bigint PRIMARY KEY, p_id integer REFERENCES probe, pr_at timestamptz, pr_moist numeric(5, 2),
    pr_temp double precision
);
CREATE TABLE sapling_stock (
    ss_id integer PRIMARY KEY, sp_id integer REFERENCES species, ss_batch text, ss_count integer, ss_cost numeric(8, 2),
    ss_in date
);
CREATE TABLE planned_planting (
    pp_id integer PRIMARY KEY, s_id integer REFERENCES site, sp_id integer REFERENCES species, pp_month date,
    pp_count integer, pp_done boolean
);

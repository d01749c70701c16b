"""
A second, small source: a jetty with boats and passages, which tests may change as they like.
"""

from __future__ import annotations

import psycopg

from bouquet.demo.cluster import Cluster

__all__ = ["change", "made_jetty"]

TABLES = """
CREATE TABLE boat (boat_id int PRIMARY KEY, boat_name text NOT NULL UNIQUE, built date, owner_email text);
CREATE TABLE passage (
    passage_id int PRIMARY KEY, boat_id int NOT NULL REFERENCES boat, left_at timestamptz NOT NULL,
    fare numeric(8, 2), weight_text text
);
INSERT INTO boat VALUES (1, 'Heron', '1998-04-01', 'a@jetty.example'), (2, 'Tern', '2004-06-11', 'b@jetty.example');
INSERT INTO passage SELECT n, 1 + n % 2, timestamptz '2026-11-01 06:00+00' + n * interval '1 hour', n * 1.25,
    CASE WHEN n = 7 THEN 'heavy' ELSE (n * 10)::text END FROM generate_series(1, 40) n;
GRANT USAGE ON SCHEMA public TO marrowby_reader;
GRANT SELECT ON ALL TABLES IN SCHEMA public TO marrowby_reader;
"""


def made_jetty(cluster: Cluster, name: str = "jetty_test") -> str:
    """A fresh jetty; returns its address for a role that can only read."""
    cluster.drop_database(name)
    cluster.ensure_database(name, "marrowby_owner")
    change(cluster, TABLES, name)
    return cluster.url(name, "marrowby_reader", "test-only")


def change(cluster: Cluster, sql: str, name: str = "jetty_test") -> None:
    """What its owner does to it."""
    with psycopg.connect(cluster.url(name, "marrowby_owner", "test-only"), autocommit=True) as connection:
        connection.execute(sql)

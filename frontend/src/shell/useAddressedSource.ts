import { useQueryClient } from "@tanstack/react-query";
import { useLayoutEffect } from "react";
import { NavigationType, useLocation, useNavigate, useNavigationType } from "react-router";
import { turnTo, useSource } from "../api";
import type { Session } from "../api";

/** Whether what is shown under a path is of one source that the path does not tell; templates and runs know theirs. */
export function isOfASource(path: string): boolean {
  return /^\/(records|set-up\/catalogue)(\/|$)/.test(path);
}

/**
 * Have the address name the source where the place is of one, and be about the source that the address names: a record's
 * address that is kept or sent to somebody is that of the same record. Says whether the source is there; `null` while
 * it is being turned to.
 */
export function useAddressedSource(sources: Session["sources"]): boolean | null {
  const client = useQueryClient();
  const go = useNavigate();
  const opened = useNavigationType() === NavigationType.Pop;
  const { pathname, search, hash } = useLocation();
  const first = sources[0]?.key ?? "";
  const now = useSource() || first;
  const ofASource = sources.length > 0 && isOfASource(pathname);
  const named = new URLSearchParams(search).get("source");
  // An address that is opened, or gone back to, and names no source is of the first; otherwise the tab's stays.
  const wanted = (named ?? (opened ? first : now)) || first;
  const there = !ofASource || sources.some((s) => s.key === wanted);
  const turns = ofASource && there && wanted !== now;
  const unnamed = ofASource && named === null && wanted === now && now !== first;
  useLayoutEffect(() => {
    if (turns) turnTo(client, wanted);
  }, [client, turns, wanted]);
  useLayoutEffect(() => {
    if (!unnamed) return;
    const params = new URLSearchParams(search);
    params.set("source", now);
    void go({ pathname, search: params.toString(), hash }, { replace: true });
  }, [go, unnamed, now, pathname, search, hash]);
  return turns ? null : there;
}

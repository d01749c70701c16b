import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { ApiError, answer, api } from "../../api";
import type { ProblemDetails, TemplateInfo } from "../../api";
import type { Document } from "../../document/types";

/** Milliseconds of quiet before the draft is sent. */
const QUIET = 500;

/** Milliseconds before a draft that could not be sent is tried again. */
const AGAIN = 3000;

/** Answers after which the same draft may be taken later: not reached, signed out, too much at once, broken. */
const LATER = [0, 401, 408, 425, 429, 500, 502, 503, 504];

/** How the draft stands with the server. */
export type Keeping =
  | { state: "kept" }
  | { state: "sending" }
  | { state: "away"; problem: ProblemDetails }
  | { state: "refused"; problem: ProblemDetails }
  | { state: "overtaken"; problem: ProblemDetails };

/**
 * Keeps the draft on the server while it is worked on.
 *
 * @returns how it stands; `flush`, which sends what is not sent yet and gives the template as the server has it, or
 * null when it could not; and `overwrite`, which sends over somebody else's change.
 */
export function useDraft(loaded: TemplateInfo, document: Document, onTemplate: (t: TemplateInfo) => void) {
  const client = useQueryClient();
  const [keeping, setKeeping] = useState<Keeping>({ state: "kept" });
  const [sent, setSent] = useState(() => JSON.stringify(loaded.document));
  const latest = useRef({
    template: loaded,
    sent: JSON.stringify(loaded.document),
    refused: "",
    /** A draft that the server may have, as its answer never came: it is sent again before any other. */
    unanswered: "",
    document,
  });
  const busy = useRef<Promise<TemplateInfo | null> | null>(null);
  useEffect(() => {
    latest.current.document = document;
  }, [document]);

  const send = useCallback(
    async (revision?: number): Promise<TemplateInfo | null> => {
      const text = latest.current.unanswered || JSON.stringify(latest.current.document);
      if (text === latest.current.sent && revision === undefined) return latest.current.template;
      setKeeping({ state: "sending" });
      try {
        const template = await answer(
          api.PUT("/api/v1/templates/{template_id}/draft", {
            params: {
              path: { template_id: loaded.id },
              header: { "If-Match": `"${revision ?? latest.current.template.revision}"` },
            },
            body: JSON.parse(text) as Document,
          }),
        );
        latest.current.unanswered = "";
        latest.current.template = template;
        latest.current.sent = text;
        setSent(text);
        setKeeping({ state: "kept" });
        onTemplate(template);
        void client.invalidateQueries({ queryKey: ["templates"], refetchType: "none" });
        return template;
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        const problem = error.problem;
        const later = LATER.includes(problem.status);
        latest.current.unanswered = later ? text : "";
        if (!later) latest.current.refused = text;
        setKeeping({ state: problem.status === 412 ? "overtaken" : later ? "away" : "refused", problem });
        return null;
      }
    },
    [client, loaded.id, onTemplate],
  );

  const flush = useCallback(
    async (revision?: number): Promise<TemplateInfo | null> => {
      while (busy.current) await busy.current;
      const all = async () => {
        const template = await send(revision);
        return template && JSON.stringify(latest.current.document) !== latest.current.sent
          ? send()
          : template;
      };
      busy.current = all();
      try {
        return await busy.current;
      } finally {
        busy.current = null;
      }
    },
    [send],
  );

  const settled = JSON.stringify(document);
  useEffect(() => {
    if (settled === latest.current.sent || keeping.state === "overtaken") return;
    // What was refused is refused again until it is another.
    if (keeping.state === "refused" && settled === latest.current.refused) return;
    const timer = setTimeout(() => void flush(), keeping.state === "away" ? AGAIN : QUIET);
    return () => clearTimeout(timer);
  }, [settled, keeping, flush]);

  useEffect(() => {
    const warn = (event: BeforeUnloadEvent) => {
      if (JSON.stringify(latest.current.document) !== latest.current.sent) event.preventDefault();
    };
    const leave = latest.current;
    window.addEventListener("beforeunload", warn);
    return () => {
      window.removeEventListener("beforeunload", warn);
      // Leaving the bench within the quiet time loses nothing.
      if (JSON.stringify(leave.document) !== leave.sent) void flush();
    };
  }, [flush]);

  const overwrite = useCallback(
    () => flush(keeping.state === "overtaken" ? keeping.problem.revision : undefined),
    [flush, keeping],
  );
  /** Take up the template as the server has it, and go on from there; what stands here is not sent. */
  const adopt = useCallback(async (): Promise<TemplateInfo | null> => {
    const theirs = await answer(
      api.GET("/api/v1/templates/{template_id}", { params: { path: { template_id: loaded.id } } }),
    ).catch(() => null);
    if (!theirs) return null;
    const text = JSON.stringify(theirs.document);
    latest.current.template = theirs;
    latest.current.sent = text;
    // Until the bench shows theirs, ours is not to be sent as a change of it.
    latest.current.document = theirs.document;
    setSent(text);
    setKeeping({ state: "kept" });
    onTemplate(theirs);
    return theirs;
  }, [loaded.id, onTemplate]);
  // What waits for the quiet time is not kept yet, and does not claim to be.
  const waiting = keeping.state === "kept" && settled !== sent;
  return { keeping: waiting ? ({ state: "sending" } as const) : keeping, flush, overwrite, adopt };
}

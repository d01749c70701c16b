import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { ApiError, answer, api } from "../api";
import { Icon } from "../shared";
import { Card } from "./Card";
import { tr } from "../i18n";

/** What is said where somebody comes back from the house's own sign-in and was not let in. */
const REFUSED: Record<string, string> = {
  not_yours: tr("Nobody has let you in here yet, or your address is somebody else’s. Ask an administrator."),
  rights_differ: tr("Your groups give you rights that cannot be joined. Ask an administrator."),
};

/** Why the house's own sign-in did not work, where somebody comes back from it. */
function refusedThere(): string | null {
  const why = new URLSearchParams(window.location.search).get("why");
  return why === null ? null : (REFUSED[why] ?? tr("That did not work. Begin again."));
}

/** The door. `away` says that the server, not the person, is the trouble. */
export function SignIn({ away }: { away: boolean }) {
  const client = useQueryClient();
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const [told] = useState(refusedThere);
  const ways = useQuery({
    queryKey: ["session", "ways"],
    queryFn: () => answer(api.GET("/api/v1/session/ways")),
    staleTime: Infinity,
  });
  const enter = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/session", { body: { email, password, code } })),
    onSuccess: (session) => {
      window.history.replaceState(null, "", told ? "/" : window.location.href);
      client.removeQueries({ predicate: (query) => query.queryKey[0] !== "session" });
      client.setQueryData(["session"], session);
    },
  });
  const forget = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/session/forgotten", { body: { email } })),
  });
  const coded = enter.error instanceof ApiError && enter.error.problem.type === "/problems/code_needed";
  const asksCode = coded || code !== "";
  const byPassword = ways.data?.password !== false;
  const trouble = asksCode && code === "" ? null : enter.error;
  return (
    <Card
      note={tr("Templates for the lists people ask you for, over your own records.")}
      act={byPassword ? tr("Sign in") : null}
      busy={enter.isPending}
      error={trouble ?? forget.error ?? told ?? (away ? tr("The server cannot be reached just now.") : null)}
      onAct={() => enter.mutate()}
    >
      {ways.data?.house && (
        <a className="btn btn-quiet d-block mb-3" href="/api/v1/session/house">
          <Icon name="person" /> {tr("Sign in with {{house}}", { house: ways.data.house })}
        </a>
      )}
      {byPassword && (
        <>
          <Form.Group className="mb-2" controlId="email">
            <Form.Label>{tr("E-mail address")}</Form.Label>
            <Form.Control
              type="email"
              autoComplete="username"
              required
              autoFocus
              value={email}
              onChange={(e) => setEmail(e.target.value)}
            />
          </Form.Group>
          <Form.Group className="mb-3" controlId="password">
            <Form.Label>{tr("Password")}</Form.Label>
            <Form.Control
              type="password"
              autoComplete="current-password"
              required
              value={password}
              onChange={(e) => setPassword(e.target.value)}
            />
          </Form.Group>
          {asksCode && (
            <Form.Group className="mb-3" controlId="code">
              <Form.Label>{tr("Code that your device shows, or a spare one")}</Form.Label>
              <Form.Control
                className="mono"
                autoFocus
                autoComplete="one-time-code"
                required
                maxLength={40}
                value={code}
                onChange={(e) => setCode(e.target.value)}
              />
            </Form.Group>
          )}
          {ways.data?.by_mail && (
            <p className="soft">
              {forget.isSuccess ? (
                <span role="status">
                  {tr("If {{email}} is known here, a link is on its way there.", { email })}
                </span>
              ) : (
                <Button
                  variant="link"
                  className="p-0"
                  disabled={!email.includes("@") || forget.isPending}
                  onClick={() => forget.mutate()}
                >
                  {tr("I forgot my password")}
                </Button>
              )}
            </p>
          )}
        </>
      )}
    </Card>
  );
}

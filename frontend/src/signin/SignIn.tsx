import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button } from "react-bootstrap";
import { answer, api } from "../api";
import { Icon } from "../shared";
import { Card } from "./Card";
import { EntranceFields } from "./EntranceFields";
import { useEntrance } from "./useEntrance";
import { tr } from "../i18n";

/** What is said where somebody comes back from the house's own sign-in and was not let in. */
const REFUSED: Record<string, string> = {
  not_yours: tr("Nobody has let you in here yet, or your address is somebody else’s. Ask an administrator."),
  house_away: tr("The house’s own sign-in does not answer just now. Try again in a moment."),
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
  const [told] = useState(refusedThere);
  const entrance = useEntrance("", (session) => {
    window.history.replaceState(null, "", told ? "/" : window.location.href);
    client.removeQueries({ predicate: (query) => query.queryKey[0] !== "session" });
    client.setQueryData(["session"], session);
  });
  const { email, byPassword } = entrance;
  const forget = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/session/forgotten", { body: { email } })),
  });
  return (
    <Card
      note={tr("Templates for the lists people ask you for, over your own records.")}
      act={byPassword ? tr("Sign in") : null}
      busy={entrance.isPending}
      error={
        entrance.error ?? forget.error ?? told ?? (away ? tr("The server cannot be reached just now.") : null)
      }
      onAct={entrance.enter}
    >
      {entrance.house && (
        <a className="btn btn-quiet d-block mb-3" href="/api/v1/session/house">
          <Icon name="person" /> {tr("Sign in with {{house}}", { house: entrance.house })}
        </a>
      )}
      {byPassword && (
        <>
          <EntranceFields entrance={entrance} />
          {entrance.byMail && (
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

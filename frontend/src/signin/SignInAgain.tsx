import { useQueryClient } from "@tanstack/react-query";
import { Button, Form, Modal } from "react-bootstrap";
import type { Session } from "../api";
import { Icon, Trouble } from "../shared";
import { EntranceFields } from "./EntranceFields";
import { useEntrance } from "./useEntrance";
import { tr } from "../i18n";

/** Over a page whose person is no longer signed in: everything on it stays, and goes on once they are. */
export function SignInAgain({ person }: { person: Session["person"] }) {
  const client = useQueryClient();
  const entrance = useEntrance(person.email, (session) => {
    client.setQueryData(["session"], session);
    // What was refused meanwhile is asked again; what is there may be worked on, as a draft is.
    void client.invalidateQueries({ predicate: (query) => query.state.status === "error" });
  });
  return (
    <Modal show backdrop="static" keyboard={false} aria-labelledby="sign-in-again">
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          entrance.enter();
        }}
      >
        <Modal.Header>
          <Modal.Title id="sign-in-again">{tr("You are no longer signed in")}</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          <p>{tr("What you were doing is still here. Sign in, and go on.")}</p>
          {entrance.house && (
            <a
              className="btn btn-quiet d-block mb-3"
              href="/api/v1/session/house"
              target="_blank"
              rel="noreferrer"
            >
              <Icon name="person" /> {tr("Sign in with {{house}} in another tab", { house: entrance.house })}
            </a>
          )}
          {entrance.byPassword && <EntranceFields entrance={entrance} known />}
          <Trouble error={entrance.error} />
        </Modal.Body>
        <Modal.Footer>
          <Button variant="quiet" onClick={() => window.location.assign("/")}>
            {tr("Sign in as somebody else")}
          </Button>
          {entrance.byPassword && (
            <Button type="submit" disabled={entrance.isPending}>
              {tr("Sign in")}
            </Button>
          )}
        </Modal.Footer>
      </Form>
    </Modal>
  );
}

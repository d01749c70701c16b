import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Button, Form, Modal } from "react-bootstrap";
import { answer, api } from "../api";
import { Trouble } from "../shared";
import { tr } from "../i18n";

/** A private address at which a person's own calendar reads the rounds. */
export function InMyCalendar({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const key = ["feed"];
  const mine = useQuery({
    queryKey: key,
    queryFn: () => answer(api.GET("/api/v1/feeds/mine")),
    staleTime: 0,
  });
  const make = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/feeds/mine")),
    onSuccess: (made) => client.setQueryData(key, made),
  });
  const stop = useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/feeds/mine")),
    onSuccess: () => client.setQueryData(key, { there: false, address: "" }),
  });
  const { there = false, address = "" } = mine.data ?? {};
  return (
    <Modal show onHide={onClose} aria-labelledby="feed-title">
      <Modal.Header closeButton>
        <Modal.Title id="feed-title">{tr("Rounds in my calendar")}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <Trouble error={mine.error ?? make.error ?? stop.error} />
        <p>
          {tr(
            "A calendar that subscribes to an address of your own shows when rounds run and what came of them. Whoever has the address can read that, so keep it to yourself.",
          )}
        </p>
        {address ? (
          <Form.Group controlId="feed-address">
            <Form.Label>{tr("Subscribe to this address")}</Form.Label>
            <Form.Control readOnly className="mono" value={address} onFocus={(e) => e.target.select()} />
            <Form.Text>{tr("It is shown this once. A new one can be made at any time.")}</Form.Text>
          </Form.Group>
        ) : (
          there && <p className="soft mb-0">{tr("You have an address; it was shown when it was made.")}</p>
        )}
      </Modal.Body>
      <Modal.Footer>
        {there && (
          <Button variant="quiet" disabled={stop.isPending} onClick={() => stop.mutate()}>
            {tr("Stop it")}
          </Button>
        )}
        <Button disabled={make.isPending} onClick={() => make.mutate()}>
          {there ? tr("Make a new address") : tr("Make an address")}
        </Button>
      </Modal.Footer>
    </Modal>
  );
}

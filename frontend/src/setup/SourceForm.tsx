import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { answer, api, turnTo } from "../api";
import { Trouble } from "../shared";
import type { AddressParts, Kind } from "./address";
import { KINDS, NO_ADDRESS, addressOf, partsOf } from "./address";
import { Steps } from "./Steps";
import { useTrying } from "./useTrying";
import { tr } from "../i18n";

interface Props {
  /** The source whose address is changed; a new one where there is none. */
  name?: string;
  /** Whether it is the address of a copy of the source, which runs read. */
  copy?: boolean;
  onDone: () => void;
}

/** Say where a database is, try it step by step, and take it on. */
export function SourceForm({ name: known, copy = false, onDone }: Props) {
  const client = useQueryClient();
  const [parts, setParts] = useState<AddressParts>(NO_ADDRESS);
  const [name, setName] = useState(known ?? "");
  const [environment, setEnvironment] = useState<"live" | "practice">("live");
  const trying = useTrying<{ address: string }>("/api/v1/sources/try");
  const address = addressOf(parts);
  const good =
    trying.tried?.address === address && trying.steps.length > 0 && trying.steps.at(-1)!.mark !== "wrong";
  const keep = useMutation({
    mutationFn: () =>
      known
        ? answer(
            api.PATCH("/api/v1/sources/{name}", {
              params: { path: { name: known } },
              body: copy ? { copy_address: address, untried: false } : { address, untried: false },
            }),
          )
        : answer(
            api.POST("/api/v1/sources", {
              body: { name: name.trim(), address, environment, untried: false },
            }),
          ),
    onSuccess: async (made) => {
      await client.invalidateQueries({ queryKey: ["session"] });
      void client.invalidateQueries({ queryKey: ["sources"] });
      turnTo(client, made.key);
      onDone();
    },
  });
  return (
    <Form
      className="slab source-form"
      onSubmit={(event) => {
        event.preventDefault();
        if (good && name.trim()) keep.mutate();
        else if (address) void trying.run({ address });
      }}
    >
      <Where parts={parts} onChange={setParts} />
      {!known && (
        <div className="source-parts">
          <Form.Group controlId="source-name">
            <Form.Label>{tr("Call it")}</Form.Label>
            <Form.Control required maxLength={60} value={name} onChange={(e) => setName(e.target.value)} />
          </Form.Group>
          <Form.Group controlId="source-environment">
            <Form.Label>{tr("It holds")}</Form.Label>
            <Form.Select
              value={environment}
              onChange={(e) => setEnvironment(e.target.value as "live" | "practice")}
            >
              <option value="live">{tr("live data")}</option>
              <option value="practice">{tr("practice data")}</option>
            </Form.Select>
          </Form.Group>
        </div>
      )}
      <div className="d-flex gap-2 align-items-center">
        <Button
          variant={good ? "quiet" : "primary"}
          disabled={!address || trying.busy}
          onClick={() => void trying.run({ address })}
        >
          {trying.steps.length > 0 ? tr("Try again") : tr("Try it")}
        </Button>
        <Button
          disabled={!good || !name.trim() || keep.isPending}
          variant={good ? "primary" : "quiet"}
          type="submit"
        >
          {copy ? tr("Read runs from it") : known ? tr("Use this address") : tr("Take it on")}
        </Button>
        <span className="soft">
          {tr("Bouquet only reads. The address is kept encrypted and never shown again.")}
        </span>
      </div>
      <Trouble error={keep.error ?? trying.error} />
      <Steps trying={trying} />
    </Form>
  );
}

/** Where the database is. A whole URL pasted into the host is taken apart. */
function Where({ parts, onChange }: { parts: AddressParts; onChange: (parts: AddressParts) => void }) {
  const put = (change: Partial<AddressParts>) => onChange({ ...parts, ...change });
  const text = (field: "host" | "port" | "database" | "role" | "password", label: string, hint = "") => (
    <Form.Group controlId={`source-${field}`}>
      <Form.Label>{label}</Form.Label>
      <Form.Control
        className="mono"
        autoComplete="off"
        type={field === "password" ? "password" : "text"}
        placeholder={hint}
        value={parts[field]}
        onChange={(e) => {
          const pasted = field === "host" ? partsOf(e.target.value) : null;
          put(pasted ?? { [field]: e.target.value });
        }}
      />
    </Form.Group>
  );
  return (
    <div className="source-parts">
      <Form.Group controlId="source-kind">
        <Form.Label>{tr("Read")}</Form.Label>
        <Form.Select value={parts.kind} onChange={(e) => put({ kind: e.target.value as Kind })}>
          {Object.entries(KINDS).map(([kind, { label }]) => (
            <option key={kind} value={kind}>
              {label}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      {parts.kind === "sqlite" ? (
        text("database", tr("File on the server"), "/data/harbour.db")
      ) : (
        <>
          {text("host", tr("At"), tr("db.harbour.example, or a whole address"))}
          {text("port", tr("Port"), KINDS[parts.kind].port)}
          {text("database", tr("Database"), "harbour")}
          {text("role", tr("As"), "harbour_reader")}
          {text("password", tr("Password"))}
          {parts.kind === "postgresql" && (
            <Form.Check
              id="source-encrypt"
              className="align-self-end mb-1"
              label={tr("Only encrypted")}
              checked={parts.encrypt}
              onChange={(e) => put({ encrypt: e.target.checked })}
            />
          )}
        </>
      )}
    </div>
  );
}

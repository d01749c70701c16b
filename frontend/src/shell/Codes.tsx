import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { answer, api } from "../api";
import { FormDialog, Icon, Trouble, plural } from "../shared";
import { tr } from "../i18n";

/** One-time codes as a second step of signing in: begun, stopped. */
export function Codes({ onClose }: { onClose: () => void }) {
  const codes = useQuery({
    queryKey: ["session", "codes"],
    queryFn: () => answer(api.GET("/api/v1/session/codes")),
    staleTime: 0,
  });
  if (!codes.data) return codes.error ? <Trouble error={codes.error} /> : null;
  return codes.data.on ? (
    <StopCodes spare={codes.data.spare} onClose={onClose} />
  ) : (
    <BeginCodes possible={codes.data.possible} onClose={onClose} />
  );
}

function BeginCodes({ possible, onClose }: { possible: boolean; onClose: () => void }) {
  const client = useQueryClient();
  const [code, setCode] = useState("");
  const [password, setPassword] = useState("");
  const start = useQuery({
    queryKey: ["session", "codes", "start"],
    queryFn: () => answer(api.POST("/api/v1/session/codes")),
    enabled: possible,
    staleTime: Infinity,
    gcTime: 0,
  });
  const set = useMutation({
    mutationFn: () =>
      answer(
        api.PUT("/api/v1/session/codes", { body: { secret: start.data?.secret ?? "", code, password } }),
      ),
  });
  const done = () => {
    void client.invalidateQueries({ queryKey: ["session", "codes"] });
    onClose();
  };
  if (set.data)
    return (
      <FormDialog
        title={tr("Your spare codes")}
        act={tr("I have kept them")}
        busy={false}
        error={null}
        onAct={done}
        onClose={done}
      >
        <p>
          {tr(
            "From now on a code is asked for when you sign in. Should you lose the device, each of these signs you in once. They are shown this once:",
          )}
        </p>
        <pre className="spare-codes">{set.data.spare.join("\n")}</pre>
        <Button
          variant="quiet"
          className="justify-self-start"
          onClick={() => void navigator.clipboard.writeText(set.data.spare.join("\n"))}
        >
          <Icon name="copy" /> {tr("Copy")}
        </Button>
      </FormDialog>
    );
  return (
    <FormDialog
      title={tr("Sign in with a code, too")}
      act={tr("Ask me for codes")}
      ready={code.trim() !== "" && password !== ""}
      busy={set.isPending}
      error={set.error ?? start.error}
      onAct={() => set.mutate()}
      onClose={onClose}
    >
      {!possible && (
        <p className="trouble">
          {tr("This house has no key to keep secrets with; an administrator sets one.")}
        </p>
      )}
      {start.data && (
        <>
          <p>
            {tr(
              "Take an app that makes one-time codes, and show it this picture, or type the letters into it.",
            )}
          </p>
          <img
            src={start.data.picture}
            alt={tr("The secret for the app, as a picture")}
            width={180}
            height={180}
          />
          <span className="mono">{start.data.secret.match(/.{1,4}/g)?.join(" ")}</span>
        </>
      )}
      <Form.Group controlId="code-code">
        <Form.Label>{tr("The code that it shows")}</Form.Label>
        <Form.Control
          className="mono"
          inputMode="numeric"
          autoComplete="one-time-code"
          maxLength={20}
          value={code}
          onChange={(e) => setCode(e.target.value)}
        />
      </Form.Group>
      <ProofField value={password} onChange={setPassword} />
    </FormDialog>
  );
}

function StopCodes({ spare, onClose }: { spare: number; onClose: () => void }) {
  const client = useQueryClient();
  const [password, setPassword] = useState("");
  const stop = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/session/codes/stop", { body: { password } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["session", "codes"] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={tr("Codes when signing in")}
      act={tr("Ask for codes no longer")}
      ready={password !== ""}
      busy={stop.isPending}
      error={stop.error}
      onAct={() => stop.mutate()}
      onClose={onClose}
    >
      <p>{tr("You sign in with a one-time code. {{spare}} left.", { spare: plural(spare, "spare code") })}</p>
      <ProofField value={password} onChange={setPassword} />
    </FormDialog>
  );
}

function ProofField({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  return (
    <Form.Group controlId="code-password">
      <Form.Label>{tr("Your password")}</Form.Label>
      <Form.Control
        type="password"
        autoComplete="current-password"
        value={value}
        onChange={(e) => onChange(e.target.value)}
      />
    </Form.Group>
  );
}

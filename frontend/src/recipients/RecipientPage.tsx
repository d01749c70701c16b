import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useNavigate, useParams } from "react-router";
import { answer, api, resources } from "../api";
import type { RecipientInfo } from "../api";
import { useMayAddress } from "../shell";
import { Confirm, Icon, NothingHere, Trouble, plural } from "../shared";
import { Deliveries } from "./Deliveries";
import { RecipientForm } from "./RecipientForm";
import { KINDS, asked } from "./acceptance";
import { FITS } from "./states";
import "./recipients.scss";
import { tr } from "../i18n";

/** One recipient: what they take, as a sentence and a layout, and what was sent to them. */
export function RecipientPage() {
  const id = Number(useParams().id);
  const client = useQueryClient();
  const go = useNavigate();
  const mayChange = useMayAddress();
  const [act, setAct] = useState<"change" | "remove" | null>(null);
  const found = useQuery({
    queryKey: ["recipients", id],
    queryFn: () =>
      answer(api.GET("/api/v1/recipients/{recipient_id}", { params: { path: { recipient_id: id } } })),
  });
  const remove = useMutation({
    mutationFn: () =>
      answer(api.DELETE("/api/v1/recipients/{recipient_id}", { params: { path: { recipient_id: id } } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["recipients"] });
      void go("/recipients");
    },
  });
  const recipient = found.data;
  if (!recipient)
    return <NothingHere error={found.error} back="/recipients" words={tr("Back to the recipients")} />;
  return (
    <>
      <div className="strip">
        <Link to="/recipients" aria-label={tr("All recipients")}>
          <Icon name="chevronLeft" />
        </Link>
        <h1>{recipient.name}</h1>
        <span className="tag">{plural(recipient.rounds.length, "round")}</span>
        <span className="fill" />
        {mayChange && (
          <>
            <Button variant="quiet" onClick={() => setAct("remove")}>
              {tr("Remove")}
            </Button>
            <Button onClick={() => setAct("change")}>
              <Icon name="pencil" /> {tr("Change")}
            </Button>
          </>
        )}
      </div>
      <p className="recipient-sentence">{recipient.sentence}</p>
      <main className="body recipient-page">
        <Layout recipient={recipient} />
        <aside className="d-grid gap-3 align-content-start">
          <section className="slab">
            <h2>{tr("Deliveries")}</h2>
            <Deliveries recipient={id} />
          </section>
          <section className="slab">
            <h2>{tr("Rounds that send to them")}</h2>
            {recipient.rounds.length === 0 ? (
              <p className="soft m-0">
                {tr("None yet.")}{" "}
                <Link to="/rounds" className="text-decoration-underline">
                  {tr("Set one")}
                </Link>
                {tr(", and choose them there.")}
              </p>
            ) : (
              <ul className="m-0 ps-3">
                {recipient.rounds.map((name, n) => (
                  <li key={n}>
                    <Link to="/rounds">{name}</Link>
                  </li>
                ))}
              </ul>
            )}
          </section>
        </aside>
      </main>
      {act === "change" && (
        <RecipientForm
          recipient={recipient}
          onDone={() => {
            void client.invalidateQueries({ queryKey: ["recipients", id] });
            setAct(null);
          }}
          onClose={() => setAct(null)}
        />
      )}
      {act === "remove" && (
        <Confirm
          title={tr("Remove {{recipient}}?", { recipient: recipient.name })}
          act={tr("Remove")}
          busy={remove.isPending}
          error={remove.error}
          onAct={() => remove.mutate()}
          onClose={() => setAct(null)}
        >
          {tr("What was sent to them stays in the ledger.")}
        </Confirm>
      )}
    </>
  );
}

/** Their columns, with how a template meets each. */
function Layout({ recipient }: { recipient: RecipientInfo }) {
  const [template, setTemplate] = useState(0);
  const acceptance = recipient.acceptance;
  const columns = acceptance.columns ?? [];
  const templates = useQuery(resources.templates());
  const held = templates.data?.find((t) => t.id === template);
  const fits = useQuery({
    queryKey: ["recipients", recipient.id, "fit", template],
    queryFn: async () => {
      const known = await answer(
        api.GET("/api/v1/templates/{template_id}", { params: { path: { template_id: template } } }),
      );
      return answer(
        api.POST("/api/v1/recipients/{recipient_id}/fit", {
          params: { path: { recipient_id: recipient.id } },
          body: { document: known.document, template_id: template },
        }),
      );
    },
    enabled: template > 0,
  });
  const fit = (heading: string) =>
    fits.data?.columns.find((c) => c.heading === heading && c.state !== "extra");
  return (
    <section className="slab" aria-label={tr("Their layout")}>
      <div className="d-flex gap-2 align-items-center flex-wrap mb-2">
        <h2 className="m-0">{tr("Their layout")}</h2>
        <Form.Select
          size="sm"
          className="w-auto"
          aria-label={tr("Held against")}
          value={template}
          onChange={(e) => setTemplate(Number(e.target.value))}
        >
          <option value={0}>{tr("hold a template against it")}</option>
          {templates.data?.map((t) => (
            <option key={t.id} value={t.id}>
              {t.name}
            </option>
          ))}
        </Form.Select>
        {fits.data && <span className="soft">{fits.data.words}</span>}
        {held && fits.data && fits.data.columns.some((c) => c.state === "missing") && (
          <Link className="btn btn-quiet btn-sm" to={`/templates/${held.id}`}>
            {tr("Fill what is missing")}
          </Link>
        )}
      </div>
      <Trouble error={fits.error} />
      {fits.data?.unmet.map((said) => (
        <p key={said} className="field-trouble mb-1">
          {said}
        </p>
      ))}
      {columns.length === 0 ? (
        <p className="soft m-0">{tr("They ask for no certain columns.")}</p>
      ) : (
        <table className="board plain">
          <thead>
            <tr>
              <th className="num">{tr("No.")}</th>
              <th>{tr("Heading")}</th>
              <th>{tr("Kind")}</th>
              <th>{tr("They ask")}</th>
              <th>{tr("Example")}</th>
              {template > 0 && <th>{tr("Held against it")}</th>}
            </tr>
          </thead>
          <tbody>
            {columns.map((column, n) => {
              const known = fit(column.heading);
              return (
                <tr key={column.heading}>
                  <td className="num soft">{n + 1}</td>
                  <td className="mono">{column.heading}</td>
                  <td>{KINDS[column.kind ?? "any"]}</td>
                  <td className="soft">{asked(column)}</td>
                  <td className="mono soft">{column.example ?? ""}</td>
                  {template > 0 && (
                    <td>
                      {known && (
                        <>
                          <span className={`tag ${FITS[known.state].look}`}>{FITS[known.state].words}</span>{" "}
                          <span className="soft small">{known.says}</span>
                        </>
                      )}
                    </td>
                  )}
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </section>
  );
}

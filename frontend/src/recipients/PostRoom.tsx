import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import { answer, api, resources } from "../api";
import type { Arrival } from "../api";
import { useMay } from "../shell";
import { FormDialog, Icon, Trouble, fullMoment, plural, size } from "../shared";
import { WAY_ICONS, WAY_WORDS } from "./states";
import "./recipients.scss";
import { tr } from "../i18n";

const WAYS = ["mail", "sftp", "webhook", "store"] as const;

const MISDEEDS = {
  refuse: tr("refuse everything"),
  hang: tr("answer nothing"),
  cut: tr("break off in the middle"),
  full: tr("have no room left"),
  busy: tr("say that it is busy"),
  mute: tr("take it and never say so"),
} as const;

/** What arrived at the stand-ins of the demonstration, and what came with it. */
export function PostRoom() {
  const mayDesign = useMay("design");
  const [way, setWay] = useState("");
  const [chosen, setChosen] = useState(0);
  const [telling, setTelling] = useState(false);
  const room = useQuery({ ...resources.postRoom(), refetchInterval: 2_000 });
  const all = room.data?.arrivals ?? [];
  const shown = all.filter((a) => !way || a.way === way);
  const opened = shown.find((a) => a.number === chosen) ?? shown[0];
  const told = Object.entries(room.data?.told ?? {});
  return (
    <>
      <div className="strip">
        <Link to="/recipients" aria-label={tr("All recipients")}>
          <Icon name="chevronLeft" />
        </Link>
        <h1>{tr("Post room")}</h1>
        <span className="tag practice">
          {tr("stand-ins of the demonstration: nothing leaves this machine")}
        </span>
        <span className="fill" />
        {mayDesign && (
          <Button variant="quiet" onClick={() => setTelling(true)}>
            {tr("Let something go wrong…")}
          </Button>
        )}
      </div>
      <main className="body post-room">
        <section className="slab" aria-label={tr("What arrived")}>
          <div className="d-flex gap-2 flex-wrap mb-2">
            {["", ...WAYS].map((one) => (
              <Button key={one} size="sm" variant="quiet" active={way === one} onClick={() => setWay(one)}>
                {one ? WAY_WORDS[one] : tr("all")}{" "}
                {one ? all.filter((a) => a.way === one).length : all.length}
              </Button>
            ))}
          </div>
          <Trouble error={room.error} />
          {told.map(([which, misdeed]) => (
            <p key={which} className="small mb-1">
              <Icon name="exclamation" />{" "}
              {tr("{{way_words}} was told to {{misdeeds}}.", {
                way_words: WAY_WORDS[which],
                misdeeds: MISDEEDS[misdeed as keyof typeof MISDEEDS],
              })}
            </p>
          ))}
          {shown.length === 0 && (
            <p className="soft m-0">{tr("Nothing has arrived since this was started.")}</p>
          )}
          <ul className="arrivals">
            {shown.map((a) => (
              <li key={a.number}>
                <button type="button" aria-current={a === opened} onClick={() => setChosen(a.number)}>
                  <Icon name={WAY_ICONS[a.way] ?? "send"} />
                  <span className="soft small text-nowrap">{fullMoment(a.at)}</span>
                  <span className="one-line">
                    <b>{a.name}</b> <span className="soft small">{where(a)}</span>
                  </span>
                  <span className="soft small text-nowrap">{size(a.size)}</span>
                </button>
              </li>
            ))}
          </ul>
        </section>
        <section className="slab" aria-label={tr("As it arrived")}>
          <h2>{tr("As it arrived")}</h2>
          {opened ? (
            <Opened arrival={opened} />
          ) : (
            <p className="soft m-0">{tr("Choose a thing at the left.")}</p>
          )}
        </section>
      </main>
      {telling && <Misbehave onClose={() => setTelling(false)} />}
    </>
  );
}

function where(arrival: Arrival): string {
  const { to, folder, target, key } = arrival.facts;
  return to ?? folder ?? target ?? key ?? "";
}

function Opened({ arrival }: { arrival: Arrival }) {
  const named = [
    "from",
    "to",
    "attached",
    "folder",
    "target",
    "bucket",
    "key",
    "idempotency-key",
    "signature-input",
  ];
  return (
    <>
      <dl className="arrival-facts">
        {named
          .filter((name) => arrival.facts[name])
          .map((name) => (
            <div key={name}>
              <dt className="soft">{name}</dt>
              <dd>{arrival.facts[name]}</dd>
            </div>
          ))}
        <div>
          <dt className="soft">{tr("SHA-256")}</dt>
          <dd className="mono">{arrival.sha256}</dd>
        </div>
      </dl>
      <h3 className="h6">{arrival.name}</h3>
      <pre className="arrival-beginning">{readable(arrival.beginning)}</pre>
    </>
  );
}

/** The first lines of a text; of anything else, that it is none. */
function readable(beginning: string): string {
  const odd = [...beginning].filter((c) => c === "�" || c < "\t").length;
  return odd > beginning.length / 50 ? tr("not a text: a spreadsheet or an archive") : beginning;
}

function Misbehave({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const [way, setWay] = useState<(typeof WAYS)[number]>("sftp");
  const [misdeed, setMisdeed] = useState<keyof typeof MISDEEDS | "">("busy");
  const [times, setTimes] = useState(2);
  const tell = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/post-room", { body: { way, misdeed: misdeed || null, times } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["post-room"] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={tr("Let something go wrong")}
      act={misdeed ? tr("Let it") : tr("Let it behave")}
      busy={tell.isPending}
      error={tell.error}
      onAct={() => tell.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="misdeed-way">
        <Form.Label>{tr("The stand-in for")}</Form.Label>
        <Form.Select value={way} onChange={(e) => setWay(e.target.value as typeof way)}>
          {WAYS.map((one) => (
            <option key={one} value={one}>
              {WAY_WORDS[one]}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <Form.Group controlId="misdeed">
        <Form.Label>{tr("is to")}</Form.Label>
        <Form.Select value={misdeed} onChange={(e) => setMisdeed(e.target.value as typeof misdeed)}>
          <option value="">{tr("behave")}</option>
          {Object.entries(MISDEEDS).map(([name, words]) => (
            <option key={name} value={name}>
              {words}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      {misdeed && (
        <Form.Group controlId="misdeed-times">
          <Form.Label>{tr("so often ({{times}})", { times: plural(times, "time") })}</Form.Label>
          <Form.Range min={1} max={10} value={times} onChange={(e) => setTimes(Number(e.target.value))} />
        </Form.Group>
      )}
    </FormDialog>
  );
}

import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { ReactNode } from "react";
import { Dropdown } from "react-bootstrap";
import { Link, NavLink } from "react-router";
import { answer, api } from "../api";
import type { Session } from "../api";
import { Icon, later, setLocale, useVocabulary } from "../shared";
import { Bell } from "./Bell";
import { EyesBanner } from "./EyesBanner";
import { ShellContext } from "./context";
import { Likes } from "./Likes";
import { PracticeMark, SourceSwitch } from "./SourceSwitch";
import { useAddressedSource } from "./useAddressedSource";
import { useNews } from "./useNews";
import { chooseLanguage, tr } from "../i18n";

// Dialogs are loaded when they are first opened.
const AboutMe = later(() => import("./AboutMe").then((m) => m.AboutMe));
const Codes = later(() => import("./Codes").then((m) => m.Codes));
const Jump = later(() => import("./Jump").then((m) => m.Jump));
const Password = later(() => import("./Password").then((m) => m.Password));
const Sessions = later(() => import("./Sessions").then((m) => m.Sessions));
const Tokens = later(() => import("./Tokens").then((m) => m.Tokens));

const PLACES = [
  { to: "/templates", label: tr("Templates") },
  { to: "/runs", label: tr("Runs") },
  { to: "/rounds", label: tr("Rounds") },
  { to: "/recipients", label: tr("Recipients") },
  { to: "/records", label: tr("Records") },
] as const;

const ROLE_NAMES: Record<string, string> = {
  runner: tr("runner"),
  designer: tr("designer"),
  auditor: tr("auditor"),
  keeper: tr("administrator"),
};

const SET_UP = { to: "/set-up", label: tr("Set-up") } as const;
const JOURNAL = { to: "/set-up/journal", label: tr("Journal") } as const;

/** The desk with its dividers, around every place. */
export function Shell({ session, children }: { session: Session; children: ReactNode }) {
  const news = useNews();
  // The lists that templates choose from are needed on most pages.
  const lists = useVocabulary();
  const { may } = session.person;
  const own = may.includes("keep") ? [SET_UP] : may.includes("audit") ? [JOURNAL] : [];
  const places = [...PLACES, ...own];
  const client = useQueryClient();
  const [jumping, setJumping] = useState(false);
  const [tokens, setTokens] = useState(false);
  const [about, setAbout] = useState(false);
  const [codes, setCodes] = useState(false);
  const [sessions, setSessions] = useState(false);
  const [password, setPassword] = useState(session.person.password_given ?? false);
  const active = Object.values(news.runs).filter(
    (r) => r.status === "asked" || r.status === "running",
  ).length;

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
        event.preventDefault();
        setJumping(true);
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);

  const leave = async () => {
    await answer(api.DELETE("/api/v1/session"));
    client.clear();
    window.location.assign("/");
  };

  const { theme = "light", locale = "", language = "" } = session.preferences;
  useEffect(() => chooseLanguage(language), [language]);
  useEffect(() => {
    const dark = window.matchMedia("(prefers-color-scheme: dark)");
    const show = () => {
      const name = theme === "system" ? (dark.matches ? "dark" : "light") : theme;
      document.documentElement.dataset.bsTheme = name;
    };
    show();
    dark.addEventListener("change", show);
    return () => dark.removeEventListener("change", show);
  }, [theme]);
  setLocale(locale);
  const there = useAddressedSource(session.sources);

  return (
    <ShellContext value={{ session, news }}>
      <div className="page">
        <header className="desk">
          <Link to="/templates" className="desk-mark">
            <img src="/bouquet.svg" alt="" /> {tr("Bouquet")}
          </Link>
          <nav aria-label={tr("Places")} className="d-flex">
            {places.map((place) => (
              <NavLink key={place.to} to={place.to} className="divider">
                {place.label}
                {place.to === "/runs" && active > 0 && (
                  <span className="count" aria-label={tr("{{active}} under way", { active })}>
                    {active}
                  </span>
                )}
              </NavLink>
            ))}
          </nav>
          <div className="desk-right">
            <PracticeMark />
            <SourceSwitch />
            <button type="button" className="jump" onClick={() => setJumping(true)}>
              <Icon name="search" /> {tr("Jump to anything")} <kbd>{tr("Ctrl K")}</kbd>
            </button>
            <Bell unread={news.unread} />
            <Dropdown align="end">
              <Dropdown.Toggle variant="link" bsPrefix="btn">
                <Icon name="person" /> {session.person.name}
              </Dropdown.Toggle>
              <Dropdown.Menu>
                <Dropdown.ItemText className="soft">
                  {session.person.roles.map((role) => ROLE_NAMES[role] ?? role).join(", ")} ·{" "}
                  {session.person.email}
                </Dropdown.ItemText>
                <Likes />
                <Dropdown.Divider />
                <Dropdown.Item as={Link} to="/guide">
                  {tr("Guide")}
                </Dropdown.Item>
                <Dropdown.Item as="button" onClick={() => setAbout(true)}>
                  {tr("My name and address…")}
                </Dropdown.Item>
                <Dropdown.Item as="button" onClick={() => setPassword(true)}>
                  {tr("Change my password…")}
                </Dropdown.Item>
                <Dropdown.Item as="button" onClick={() => setCodes(true)}>
                  {tr("Codes when signing in…")}
                </Dropdown.Item>
                <Dropdown.Item as="button" onClick={() => setTokens(true)}>
                  {tr("Tokens for programs…")}
                </Dropdown.Item>
                <Dropdown.Item as="button" onClick={() => setSessions(true)}>
                  {tr("Where I am signed in…")}
                </Dropdown.Item>
                <Dropdown.Item as="button" onClick={() => void leave()}>
                  {tr("Sign out")}
                </Dropdown.Item>
              </Dropdown.Menu>
            </Dropdown>
          </div>
        </header>
        {session.person.through && <EyesBanner name={session.person.name} />}
        {there === false && (
          <main className="body">
            <p role="alert">{tr("There is no such source, or it is not yours to see.")}</p>
          </main>
        )}
        {there && !lists.isPending && children}
        {codes && <Codes onClose={() => setCodes(false)} />}
        {tokens && <Tokens onClose={() => setTokens(false)} />}
        {sessions && <Sessions onClose={() => setSessions(false)} />}
        {about && <AboutMe onClose={() => setAbout(false)} />}
        {password && <Password onClose={() => setPassword(false)} />}
        {jumping && <Jump onClose={() => setJumping(false)} />}
      </div>
    </ShellContext>
  );
}

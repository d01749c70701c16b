import type { ReactNode } from "react";
import { NavLink } from "react-router";
import "./setup.scss";

const TABS = [
  { to: "/set-up/sources", label: "Sources" },
  { to: "/set-up/catalogue", label: "Catalogue" },
  { to: "/set-up/people", label: "People" },
  { to: "/set-up/ways-out", label: "Ways out" },
] as const;

/** The keeper's place: its strip with tabs, and what stands below. */
export function SetUp({ note, acts, children }: { note?: ReactNode; acts?: ReactNode; children: ReactNode }) {
  return (
    <>
      <div className="strip">
        <h1>Set-up</h1>
        {note}
        <span className="fill" />
        {acts}
      </div>
      <nav className="subplaces" aria-label="Set-up">
        {TABS.map((tab) => (
          <NavLink key={tab.to} to={tab.to}>
            {tab.label}
          </NavLink>
        ))}
      </nav>
      <main className="body">{children}</main>
    </>
  );
}

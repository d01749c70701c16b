import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { Suspense, lazy } from "react";
import { BrowserRouter, Navigate, Route, Routes } from "react-router";
import { ApiError, answer, api, isAskedAgain } from "./api";
import type { Session } from "./api";
import { Shell } from "./shell";
import { SignIn } from "./signin/SignIn";
import { Library } from "./templates";
import { tr } from "./i18n";

// What is not the first view is loaded when it is first gone to.
const FirstStart = lazy(() => import("./signin").then((m) => ({ default: m.FirstStart })));
const SetPassword = lazy(() => import("./signin").then((m) => ({ default: m.SetPassword })));
const Bench = lazy(() => import("./bench").then((m) => ({ default: m.Bench })));
const Match = lazy(() => import("./templates/Match").then((m) => ({ default: m.Match })));
const Runner = lazy(() => import("./templates/Runner").then((m) => ({ default: m.Runner })));
const Removed = lazy(() => import("./templates/Removed").then((m) => ({ default: m.Removed })));
const Ledger = lazy(() => import("./runs/Ledger").then((m) => ({ default: m.Ledger })));
const GivenBack = lazy(() => import("./runs/GivenBack").then((m) => ({ default: m.GivenBack })));
const RunPage = lazy(() => import("./runs/RunPage").then((m) => ({ default: m.RunPage })));
const Rounds = lazy(() => import("./rounds").then((m) => ({ default: m.Rounds })));
const RoundPage = lazy(() => import("./rounds").then((m) => ({ default: m.RoundPage })));
const Records = lazy(() => import("./records/Records").then((m) => ({ default: m.Records })));
const Guide = lazy(() => import("./guide/Guide").then((m) => ({ default: m.Guide })));
const RecordPage = lazy(() => import("./records/RecordPage").then((m) => ({ default: m.RecordPage })));

const CataloguePlace = lazy(() => import("./setup").then((m) => ({ default: m.CataloguePlace })));
const PeoplePlace = lazy(() => import("./setup").then((m) => ({ default: m.PeoplePlace })));
const Recipients = lazy(() => import("./recipients").then((m) => ({ default: m.Recipients })));
const RecipientPage = lazy(() => import("./recipients").then((m) => ({ default: m.RecipientPage })));
const PostRoom = lazy(() => import("./recipients").then((m) => ({ default: m.PostRoom })));
const HealthPlace = lazy(() => import("./setup").then((m) => ({ default: m.HealthPlace })));
const JournalPlace = lazy(() => import("./setup").then((m) => ({ default: m.JournalPlace })));
const WaysOutPlace = lazy(() => import("./setup").then((m) => ({ default: m.WaysOutPlace })));
const SourcesPlace = lazy(() => import("./setup").then((m) => ({ default: m.SourcesPlace })));

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      // What a person must mend is not asked again; a server that was not reached is.
      retry: isAskedAgain,
    },
  },
});

export function App() {
  return (
    <QueryClientProvider client={client}>
      <Suspense>{window.location.pathname === "/set-password" ? <SetPassword /> : <Door />}</Suspense>
    </QueryClientProvider>
  );
}

/** The library; in a house that reads nothing yet, whoever keeps it says what. */
function firstPlace({ person, sources }: Session): string {
  return sources.length === 0 && person.may.includes("keep") ? "/set-up/sources" : "/templates";
}

/** Everything is behind the sign-in. */
function Door() {
  const session = useQuery({
    queryKey: ["session"],
    queryFn: () => answer(api.GET("/api/v1/session")),
    staleTime: 60_000,
  });
  const out = session.error instanceof ApiError && session.error.status === 401;
  const nobody = useQuery({
    queryKey: ["first-start"],
    queryFn: () => answer(api.GET("/api/v1/first-start")),
    enabled: out,
  });
  if (session.isPending || (out && nobody.isPending)) return null;
  if (!session.data && nobody.data?.needed) return <FirstStart />;
  if (!session.data) return <SignIn away={!out} />;
  return (
    <BrowserRouter>
      <Shell session={session.data}>
        <Suspense fallback={<main className="body soft">{tr("opening…")}</main>}>
          <Routes>
            <Route path="/templates" element={<Library />} />
            <Route path="/templates/match" element={<Match />} />
            <Route path="/templates/removed" element={<Removed />} />
            <Route path="/templates/:id/run" element={<Runner />} />
            <Route path="/records" element={<Records />} />
            <Route path="/records/:name" element={<Records />} />
            <Route path="/records/:name/*" element={<RecordPage />} />
            <Route path="/templates/:id" element={<Bench />} />
            <Route path="/guide" element={<Guide />} />
            <Route path="/guide/:page" element={<Guide />} />
            <Route path="/runs" element={<Ledger />} />
            <Route path="/runs/given-back" element={<GivenBack />} />
            <Route path="/runs/:id" element={<RunPage />} />
            <Route path="/rounds/:id" element={<RoundPage />} />
            <Route path="/rounds" element={<Rounds />} />
            <Route path="/set-up/catalogue" element={<CataloguePlace />} />
            <Route path="/recipients" element={<Recipients />} />
            <Route path="/recipients/post-room" element={<PostRoom />} />
            <Route path="/recipients/:id" element={<RecipientPage />} />
            <Route path="/set-up/ways-out" element={<WaysOutPlace />} />
            <Route path="/set-up/health" element={<HealthPlace />} />
            <Route path="/set-up/journal" element={<JournalPlace />} />
            <Route path="/set-up/people" element={<PeoplePlace />} />
            <Route path="/set-up/sources" element={<SourcesPlace />} />
            <Route path="/set-up" element={<Navigate to="/set-up/sources" replace />} />
            <Route path="*" element={<Navigate to={firstPlace(session.data)} replace />} />
          </Routes>
        </Suspense>
      </Shell>
    </BrowserRouter>
  );
}

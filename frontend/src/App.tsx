import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { BrowserRouter, Navigate, Route, Routes } from "react-router";
import { ApiError, answer, api } from "./api";
import { Bench } from "./bench";
import { Rounds } from "./rounds";
import { Ledger, RunPage } from "./runs";
import { Shell } from "./shell";
import { SignIn } from "./signin";
import { Library } from "./templates";

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      // What a person must mend is not asked again; a server that was not reached is.
      retry: (times, error) => times < 3 && error instanceof ApiError && [0, 502, 503].includes(error.status),
    },
  },
});

export function App() {
  return (
    <QueryClientProvider client={client}>
      <Door />
    </QueryClientProvider>
  );
}

/** Everything is behind the sign-in. */
function Door() {
  const session = useQuery({
    queryKey: ["session"],
    queryFn: () => answer(api.GET("/api/v1/session")),
    staleTime: 60_000,
  });
  if (session.isPending) return null;
  if (!session.data)
    return <SignIn away={session.error instanceof ApiError && session.error.status !== 401} />;
  return (
    <BrowserRouter>
      <Shell session={session.data}>
        <Routes>
          <Route path="/templates" element={<Library />} />
          <Route path="/templates/:id" element={<Bench />} />
          <Route path="/runs" element={<Ledger />} />
          <Route path="/runs/:id" element={<RunPage />} />
          <Route path="/rounds" element={<Rounds />} />
          <Route path="*" element={<Navigate to="/templates" replace />} />
        </Routes>
      </Shell>
    </BrowserRouter>
  );
}

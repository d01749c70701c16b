import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, answer, api, resources } from "../api";
import type { Session } from "../api";

/** What somebody gives to be let in, and what came of it. */
export type Entrance = ReturnType<typeof useEntrance>;

/** Entering with an address and a password; with a code as well, once the server has asked for one. */
export function useEntrance(known: string, onEntered: (session: Session) => void) {
  const [email, setEmail] = useState(known);
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const ways = useQuery(resources.waysIn());
  const enter = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/session", { body: { email, password, code } })),
    onSuccess: onEntered,
  });
  const coded = enter.error instanceof ApiError && enter.error.problem.type === "/problems/code_needed";
  const asksCode = coded || code !== "";
  return {
    email,
    setEmail,
    password,
    setPassword,
    code,
    setCode,
    asksCode,
    byPassword: ways.data?.password !== false,
    byMail: ways.data?.by_mail === true,
    house: ways.data?.house,
    enter: () => enter.mutate(),
    isPending: enter.isPending,
    error: asksCode && code === "" ? null : enter.error,
  };
}

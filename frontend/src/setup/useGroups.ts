import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../api";

/** The groups of the house. */
export function useGroups() {
  return useQuery({
    queryKey: ["groups"],
    queryFn: () => answer(api.GET("/api/v1/groups")),
    staleTime: 0,
  });
}

import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { answer, api, recordsAt, resources } from "../api";
import { usePreferences } from "../shell";
import { Trouble } from "../shared";
import { Browse } from "./Browse";
import { useByUse } from "./TypeBar";
import { useViewKey } from "./Views";
import { everydayView } from "./view";

/** Records of any type: search, narrow, choose columns, pick, take away what is seen. */
export function Records() {
  const name = useParams().name;
  const go = useNavigate();
  const types = useQuery(resources.recordTypes());
  const first = useByUse(types.data ?? [])[0];
  useEffect(() => {
    if (!name && first) void go(recordsAt(first.name), { replace: true });
  }, [name, first, go]);
  const type = useQuery({ ...resources.recordType(name ?? ""), enabled: name !== undefined });
  const views = useQuery({
    queryKey: ["views", name],
    queryFn: () => answer(api.GET("/api/v1/records/{name}/views", { params: { path: { name: name! } } })),
    enabled: name !== undefined,
  });
  const [params] = useSearchParams();
  const { preferences } = usePreferences();
  const key = useViewKey(name ?? "");
  const liked = preferences.views?.[key];
  const wanted = params.get("view") ?? (liked === undefined ? null : String(liked));
  if (!type.data || !types.data || (wanted && !views.data))
    return (
      <main className="body">
        <Trouble error={types.error ?? type.error} />
      </main>
    );
  const view = views.data?.find((v) => String(v.id) === wanted);
  const start = view ? view.document : everydayView(type.data);
  return (
    <Browse
      key={`${name} ${view?.id ?? ""}`}
      types={types.data}
      type={type.data}
      start={start}
      view={view}
      views={views.data ?? []}
    />
  );
}

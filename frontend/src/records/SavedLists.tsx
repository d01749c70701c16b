import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Dropdown } from "react-bootstrap";
import { answer, api, resources } from "../api";
import type { PicksInfo, RecordType } from "../api";
import { useMay } from "../shell";
import { Confirm, Icon, plural } from "../shared";
import { ListKeepers } from "./ListKeepers";
import { tr } from "../i18n";

/** The lists kept of a record type: one press shows what is in one, another removes it. */
export function SavedLists({ records, onShow }: { records: RecordType; onShow: (name: string) => void }) {
  const client = useQueryClient();
  const mayDesign = useMay("design");
  const [removing, setRemoving] = useState<string | null>(null);
  const [kept, setKept] = useState<PicksInfo | null>(null);
  const lists = useQuery(resources.picks(records.name));
  const remove = useMutation({
    mutationFn: (name: string) => answer(api.DELETE("/api/v1/picks/{name}", { params: { path: { name } } })),
    onSuccess: () => {
      setRemoving(null);
      void client.invalidateQueries({ queryKey: ["picks"] });
    },
  });
  if (!lists.data?.length) return null;
  return (
    <>
      <Dropdown align="end">
        <Dropdown.Toggle variant="quiet">{tr("Lists")}</Dropdown.Toggle>
        <Dropdown.Menu>
          {lists.data.map((list) => (
            <div key={list.name} className="d-flex align-items-center">
              <Dropdown.Item as="button" onClick={() => onShow(list.name)}>
                {list.name}{" "}
                <span className="soft">
                  {plural(list.size, "record")}
                  {!list.mine && ` · ${list.owner}`}
                </span>
              </Dropdown.Item>
              {mayDesign && list.mine && (
                <Dropdown.Item as="button" className="w-auto" onClick={() => setKept(list)}>
                  <Icon name="person" label={tr("Who keeps the list {{list}}…", { list: list.name })} />
                </Dropdown.Item>
              )}
              {list.changes && (
                <Dropdown.Item
                  as="button"
                  className="w-auto text-danger"
                  onClick={() => setRemoving(list.name)}
                >
                  <Icon name="x" label={tr("Remove the list {{list}}", { list: list.name })} />
                </Dropdown.Item>
              )}
            </div>
          ))}
        </Dropdown.Menu>
      </Dropdown>
      {kept && <ListKeepers list={kept} onClose={() => setKept(null)} />}
      {removing && (
        <Confirm
          title={tr("Remove the list “{{removing}}”?", { removing })}
          act={tr("Remove it")}
          busy={remove.isPending}
          error={remove.error}
          onAct={() => remove.mutate(removing)}
          onClose={() => setRemoving(null)}
        >
          <p className="mb-0">
            {tr(
              "Templates that name it will say so until they name another. It can be brought back from what was removed.",
            )}
          </p>
        </Confirm>
      )}
    </>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Button, Modal } from "react-bootstrap";
import { answer, api, useSource } from "../api";
import { Trouble, shortMoment } from "../shared";
import { tr } from "../i18n";

/** The catalogues that were put into use; an earlier one can be edited again. */
export function Versions({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const source = useSource();
  const versions = useQuery({
    queryKey: ["catalogue", source, "versions"],
    queryFn: () => answer(api.GET("/api/v1/catalogue/versions")),
    staleTime: 0,
  });
  const take = useMutation({
    mutationFn: (number: number) =>
      answer(api.POST("/api/v1/catalogue/versions/{number}/edit", { params: { path: { number } } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["catalogue", source] });
      onClose();
    },
  });
  return (
    <Modal show onHide={onClose} aria-labelledby="versions-title">
      <Modal.Header closeButton>
        <Modal.Title id="versions-title">{tr("Versions of the catalogue")}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <Trouble error={versions.error ?? take.error} />
        {versions.data?.length === 0 && <p className="soft mb-0">{tr("Nothing was put into use yet.")}</p>}
        <ul className="catalogue-versions">
          {versions.data?.map((v, n) => (
            <li key={v.number}>
              <strong>{v.number}</strong>
              <span>
                {v.note || <span className="soft">{tr("without a note")}</span>}
                <span className="soft">
                  {" "}
                  · {shortMoment(v.saved_at)}
                  {v.saved_by && `, ${v.saved_by}`}
                </span>
              </span>
              {n === 0 ? (
                <span className="tag">{tr("in use")}</span>
              ) : (
                <Button
                  variant="quiet"
                  size="sm"
                  disabled={take.isPending}
                  onClick={() => take.mutate(v.number)}
                >
                  {tr("Edit this one again")}
                </Button>
              )}
            </li>
          ))}
        </ul>
      </Modal.Body>
    </Modal>
  );
}

import { useQuery } from "@tanstack/react-query";
import { Dropdown } from "react-bootstrap";
import { Link } from "react-router";
import { answer, api, fileAddress } from "../api";
import { Icon, shortMoment } from "../shared";
import { tr } from "../i18n";

/** Notices that lead to their run; opening the list marks them as read. */
export function Bell({ unread }: { unread: number }) {
  const notices = useQuery({ queryKey: ["notices"], queryFn: () => answer(api.GET("/api/v1/notices")) });
  const read = (open: boolean) => {
    if (open && unread > 0) void answer(api.POST("/api/v1/notices/read"));
  };
  return (
    <Dropdown align="end" onToggle={read}>
      <Dropdown.Toggle
        variant="link"
        bsPrefix="btn"
        aria-label={unread ? tr("Notices, {{unread}} unread", { unread }) : tr("Notices")}
      >
        <Icon name="bell" />
        {unread > 0 && <span className="bell-dot">{unread}</span>}
      </Dropdown.Toggle>
      <Dropdown.Menu style={{ width: 360, maxHeight: 420, overflow: "auto" }}>
        {notices.data?.length ? (
          notices.data.map((n) => (
            <div key={n.id} className="notice">
              <Dropdown.Item
                as={Link}
                to={n.run_id === null ? n.link : `/runs/${n.run_id}`}
                className="text-wrap"
              >
                <span className={n.read ? "" : "fw-bold"}>{n.text}</span>
                <div className="soft small">{shortMoment(n.created_at)}</div>
              </Dropdown.Item>
              {n.file_id !== null && n.run_id !== null && (
                <a
                  href={fileAddress(n.run_id, n.file_id)}
                  download
                  className="btn btn-quiet btn-sm"
                  aria-label={tr("Download {{file_name}}", { file_name: n.file_name })}
                  title={n.file_name}
                >
                  <Icon name="download" />
                </a>
              )}
            </div>
          ))
        ) : (
          <Dropdown.ItemText className="soft">
            {tr("Nothing yet. A notice comes when a run is ready.")}
          </Dropdown.ItemText>
        )}
      </Dropdown.Menu>
    </Dropdown>
  );
}

import { tr } from "../i18n";
/** The parts of a source's address, as a person fills them in. */
export interface AddressParts {
  kind: Kind;
  host: string;
  port: string;
  database: string;
  role: string;
  password: string;
  encrypt: boolean;
}

export type Kind = "postgresql" | "mariadb" | "mysql" | "sqlite";

export const KINDS: Record<Kind, { label: string; port: string }> = {
  postgresql: { label: "PostgreSQL", port: "5432" },
  mariadb: { label: "MariaDB", port: "3306" },
  mysql: { label: "MySQL", port: "3306" },
  sqlite: { label: tr("SQLite file"), port: "" },
};

export const NO_ADDRESS: AddressParts = {
  kind: "postgresql",
  host: "",
  port: "",
  database: "",
  role: "",
  password: "",
  encrypt: false,
};

/** The address as a URL; empty while a part is missing that it cannot be without. */
export function addressOf(parts: AddressParts): string {
  const database = parts.database.trim();
  if (!database) return "";
  if (parts.kind === "sqlite") return `sqlite:///${database}`;
  const host = parts.host.trim();
  if (!host || !parts.role.trim()) return "";
  const shown = host.includes(":") && !host.startsWith("[") ? `[${host}]` : host;
  const port = parts.port.trim() || KINDS[parts.kind].port;
  const who = encodeURIComponent(parts.role.trim());
  const secret = parts.password ? `:${encodeURIComponent(parts.password)}` : "";
  const query = parts.encrypt && parts.kind === "postgresql" ? "?sslmode=require" : "";
  return `${parts.kind}://${who}${secret}@${shown}:${port}/${encodeURIComponent(database)}${query}`;
}

/** The parts of a pasted URL; null where it is none of a known kind. */
export function partsOf(address: string): AddressParts | null {
  const file = /^sqlite:\/\/\/(.+)$/.exec(address.trim());
  if (file) return { ...NO_ADDRESS, kind: "sqlite", database: file[1]! };
  const found = /^(postgres|postgresql|mariadb|mysql)(?:\+\w+)?:\/\/(.*)$/.exec(address.trim());
  if (!found) return null;
  let url: URL;
  try {
    url = new URL(`http://${found[2]}`);
  } catch {
    return null;
  }
  const kind = (found[1] === "postgres" ? "postgresql" : found[1]) as Kind;
  return {
    kind,
    host: url.hostname.replace(/^\[|\]$/g, ""),
    port: url.port,
    database: decodeURIComponent(url.pathname.slice(1)),
    role: decodeURIComponent(url.username),
    password: decodeURIComponent(url.password),
    encrypt: ["require", "verify-ca", "verify-full"].includes(url.searchParams.get("sslmode") ?? ""),
  };
}

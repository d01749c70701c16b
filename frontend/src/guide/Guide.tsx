import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import type { ReactNode } from "react";
import Markdown from "react-markdown";
import { Link, useLocation, useParams } from "react-router";
import { Trouble } from "../shared";
import { useShell } from "../shell";
import { anchorOf, pictureAt } from "./pages";
import { useGuide } from "./useGuide";
import { tr } from "../i18n";

/** Where the documents lie that pages point to and that are no pages here. */
const ELSEWHERE = /^(https?:|\.\.\/)/;

/** A page of the guide, beside the list of all. */
export function Guide() {
  const { page: name } = useParams();
  const { hash } = useLocation();
  const { pages, contents } = useGuide();
  const whom = useShell().session.whom_to_ask ?? [];
  const page = pages.find((p) => p.name === name);
  const text = name ? page?.text : contents;
  useEffect(() => {
    if (text && hash) document.getElementById(decodeURIComponent(hash.slice(1)))?.scrollIntoView();
  }, [text, hash]);
  return (
    <main className="body guide">
      <nav aria-label={tr("Pages of the guide")}>
        <Link to="/guide" aria-current={name ? undefined : "page"}>
          {tr("All pages")}
        </Link>
        {pages.map((p) => (
          <Link key={p.name} to={`/guide/${p.name}`} aria-current={p.name === name ? "page" : undefined}>
            {p.title}
          </Link>
        ))}
        {whom.length > 0 && (
          <p className="soft small mt-3">{tr("Whom to ask here: {{whom}}.", { whom: whom.join(", ") })}</p>
        )}
      </nav>
      <article>
        {text ? (
          <Markdown components={COMPONENTS}>{text}</Markdown>
        ) : (
          pages.length > 0 && <Trouble error={tr("There is no page “{{name}}” in the guide.", { name })} />
        )}
      </article>
    </main>
  );
}

const COMPONENTS = {
  h2: ({ children }: { children?: ReactNode }) => <h2 id={anchorOf(textIn(children))}>{children}</h2>,
  a: ({ href = "", children }: { href?: string; children?: ReactNode }) =>
    ELSEWHERE.test(href) ? <>{children}</> : <Link to={`/guide/${href.replace(".md", "")}`}>{children}</Link>,
  p: ({ children }: { children?: ReactNode }) =>
    textIn(children).startsWith("Example: ") ? <p className="help-example">{children}</p> : <p>{children}</p>,
  img: ({ src, alt }: { src?: string | Blob; alt?: string }) => (
    <Picture source={String(src)} alt={alt ?? ""} />
  ),
};

function Picture({ source, alt }: { source: string; alt: string }) {
  const address = useQuery({
    queryKey: ["guide", "picture", source],
    queryFn: () => pictureAt(source),
    staleTime: Infinity,
  });
  return address.data ? (
    <a href={address.data} target="_blank" rel="noreferrer">
      <img src={address.data} alt={alt} loading="lazy" />
    </a>
  ) : null;
}

/** The words of what React shows. */
function textIn(node: ReactNode): string {
  if (Array.isArray(node)) return node.map(textIn).join("");
  if (typeof node === "string" || typeof node === "number") return String(node);
  if (node && typeof node === "object" && "props" in node)
    return textIn((node.props as { children?: ReactNode }).children);
  return "";
}

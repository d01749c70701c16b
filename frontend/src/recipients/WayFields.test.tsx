import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { useState } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { WayOfRecipient } from "../api";
import { MoreWays } from "./WayFields";

afterEach(cleanup);

const text = (title: string) => ({ type: "string", title });

/** Ways out of a house, known already, so that nothing is fetched. */
function known(): QueryClient {
  const client = new QueryClient({ defaultOptions: { queries: { staleTime: Infinity } } });
  client.setQueryData(
    ["means"],
    [
      { id: 1, name: "Drop", kind: "sftp", label: "SFTP" },
      { id: 2, name: "Mail", kind: "mail", label: "Mail" },
    ],
  );
  client.setQueryData(
    ["ways"],
    [
      { kind: "sftp", address: { properties: { folder: text("Folder") } } },
      { kind: "mail", address: { properties: { to: text("To") } } },
    ],
  );
  return client;
}

function Shown({ first, onChange }: { first: WayOfRecipient[]; onChange: (w: WayOfRecipient[]) => void }) {
  const [ways, setWays] = useState(first);
  return (
    <QueryClientProvider client={known()}>
      <MoreWays
        ways={ways}
        onChange={(changed) => {
          setWays(changed);
          onChange(changed);
        }}
      />
    </QueryClientProvider>
  );
}

describe("further ways of a recipient", () => {
  it("are added, and ask for what their own way out needs", () => {
    const onChange = vi.fn<(w: WayOfRecipient[]) => void>();
    render(<Shown first={[]} onChange={onChange} />);
    fireEvent.click(screen.getByRole("button", { name: "Another way" }));
    expect(screen.queryByLabelText("Folder")).toBeNull();
    fireEvent.change(screen.getByLabelText("And by"), { target: { value: "1" } });
    fireEvent.change(screen.getByLabelText("Folder"), { target: { value: "in" } });
    expect(onChange.mock.lastCall![0]).toEqual([{ means_id: 1, address: { folder: "in" } }]);
  });

  it("forget the address of another way out", () => {
    const onChange = vi.fn<(w: WayOfRecipient[]) => void>();
    render(<Shown first={[{ means_id: 1, address: { folder: "in" } }]} onChange={onChange} />);
    fireEvent.change(screen.getByLabelText("And by"), { target: { value: "2" } });
    expect(onChange.mock.lastCall![0]).toEqual([{ means_id: 2, address: {} }]);
    expect(screen.getByLabelText<HTMLInputElement>("To").value).toBe("");
  });

  it("are taken away one by one", () => {
    const onChange = vi.fn<(w: WayOfRecipient[]) => void>();
    const two = [
      { means_id: 1, address: { folder: "in" } },
      { means_id: 2, address: { to: "a" } },
    ];
    render(<Shown first={two} onChange={onChange} />);
    fireEvent.click(screen.getByRole("button", { name: "Remove way 2" }));
    expect(onChange.mock.lastCall![0]).toEqual([two[1]]);
    expect(screen.getByLabelText<HTMLInputElement>("To").value).toBe("a");
  });

  it("are six at most, with the first", () => {
    const five = Array.from({ length: 5 }, () => ({ means_id: 1, address: {} }));
    render(<Shown first={five} onChange={vi.fn()} />);
    expect(screen.queryByRole("button", { name: "Another way" })).toBeNull();
  });
});

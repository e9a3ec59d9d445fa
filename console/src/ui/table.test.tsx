import { renderToString } from "react-dom/server";
import { describe, expect, it } from "vitest";
import { Table } from "./table";

const rows = [
  { name: "additive", mase: 0.8 },
  { name: "naive", mase: 1.2 },
];

const html = (best = rows[0]) =>
  renderToString(
    <Table
      label="Standings"
      rows={rows}
      keyOf={(r) => r.name}
      selected={(r) => r.name === "naive"}
      columns={[
        { head: "Contender", cell: (r) => r.name, keep: true },
        { head: "MASE", right: true, hint: "lower is better", cell: (r) => r.mase, best: (r) => r === best },
      ]}
    />,
  );

describe("Table", () => {
  it("has its name, its heads with hints, and a row each", () => {
    expect(html()).toContain('aria-label="Standings"');
    expect(html()).toContain('title="lower is better"');
    expect(html().match(/<tr/g)).toHaveLength(3);
  });

  it("marks the best of a column and the chosen row, and no others", () => {
    expect(html().match(/font-bold/g)).toHaveLength(1);
    expect(html()).toMatch(/font-bold[^>]*>0\.8</);
    expect(html().match(/bg-tint/g)).toHaveLength(1);
  });

  it("keeps the first column in sight", () => {
    expect(html().match(/sticky/g)).toHaveLength(3);
  });
});

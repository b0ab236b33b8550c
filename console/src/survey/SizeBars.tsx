import type { Schemas } from "../api/client";
import { CsvButton } from "../parts/CsvButton";
import { plural, size } from "../words/format";

/** How many accounts are how large. */
export function SizeBars({ sizes }: { sizes: Schemas["SizeClass"][] }) {
  const most = Math.max(1, ...sizes.map((s) => s.accounts));
  return (
    <>
      <table className="sheet padded bars">
        <caption className="visually-hidden">Accounts by size</caption>
        <tbody>
          {sizes.map((s) => (
            <tr key={s.name}>
              <th scope="row">{s.name}</th>
              <td aria-hidden className="bars-track">
                <div style={{ width: `${(s.accounts / most) * 100}%` }} />
              </td>
              <td className="num">{plural(s.accounts, "account")}</td>
              <td className="num soft">{size(s.octets)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <CsvButton
        name="sizes"
        rows={sizes}
        columns={[
          { title: "size", value: (s) => s.name },
          { title: "accounts", value: (s) => s.accounts },
          { title: "octets", value: (s) => s.octets },
        ]}
      />
    </>
  );
}

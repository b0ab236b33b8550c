import { useQuery } from "@tanstack/react-query";
import { servicesQuery } from "../api/queries";
import { Failure } from "../parts/Failure";
import { Loading } from "../parts/Loading";
import { FileBox } from "./FileBox";
import { FindSettings } from "./FindSettings";
import { ServiceCard } from "./ServiceCard";

export function ServicesPage() {
  const services = useQuery(servicesQuery);
  if (services.isPending) return <Loading />;
  return (
    <>
      <header>
        <h1>Services</h1>
        <p className="lede">The mail systems of the plan: how much of them is in use, and whether the sign-in works.</p>
      </header>
      <ConsentEnded />
      {services.error ? (
        <Failure error={services.error} again={() => void services.refetch()} />
      ) : services.data.length === 0 ? (
        <p className="sheet padded soft">
          No service yet. A plan file names them; below, the settings of a mail domain can be looked up for it.
        </p>
      ) : (
        <div
          className="cards"
          style={{ gridTemplateColumns: "repeat(auto-fill, minmax(460px, 1fr))", alignItems: "start" }}
        >
          {services.data.map((s) => (
            <ServiceCard key={s.name} service={s} />
          ))}
        </div>
      )}
      <h2>Files that were handed over</h2>
      <FileBox />
      <h2>Another service</h2>
      <FindSettings />
    </>
  );
}

/** Set in the address when the browser returns from a service's consent page. */
function ConsentEnded() {
  const query = new URLSearchParams(globalThis.location.search);
  const state = query.get("consent");
  if (!state) return null;
  return state === "given" ? (
    <p className="good" role="status">
      ✓ {query.get("account")} consented at {query.get("at")}.
    </p>
  ) : (
    <p className="warn-note" role="alert">
      {query.get("account")} did not consent at {query.get("at")}. Begin it again where it is needed.
    </p>
  );
}

import { useQuery } from "@tanstack/react-query";
import { servicesQuery } from "../api/queries";
import { Failure } from "../parts/Failure";
import { ServiceCard } from "./ServiceCard";

export function ServicesPage() {
  const services = useQuery(servicesQuery);
  if (services.isPending) return null;
  return (
    <>
      <header>
        <h1>Services</h1>
        <p className="lede">The mail systems of the plan, what they bear, and whether they let us in.</p>
      </header>
      {services.error ? (
        <Failure error={services.error} again={() => void services.refetch()} />
      ) : (
        <div className="cards" style={{ gridTemplateColumns: "repeat(auto-fill, minmax(460px, 1fr))" }}>
          {services.data.map((s) => (
            <ServiceCard key={s.name} service={s} />
          ))}
        </div>
      )}
    </>
  );
}

import type { Service } from "../api/client";
import { Bar } from "../parts/Bar";

/** How much of what each service bears is in use. */
export function SlotUse({ services }: { services: Service[] }) {
  return (
    <div className="row" style={{ marginBottom: 12 }}>
      {services.map((service) => (
        <div className="row" key={service.name}>
          <span>
            <strong>{service.name}</strong>{" "}
            <span className="soft">
              {service.use.connections} of {service.limits.connections} connections
            </span>
          </span>
          <Bar
            share={service.use.connections / service.limits.connections}
            label={`${service.name}: connections in use`}
          />
        </div>
      ))}
    </div>
  );
}

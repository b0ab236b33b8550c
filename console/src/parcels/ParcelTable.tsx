import { Button, Modal } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { deleteParcel, type Parcel } from "../api/parcelQueries";
import { type DataColumn, DataTable } from "../parts/DataTable";
import { notifyFailure, notifySuccess } from "../parts/notify";
import { date, farTime, size } from "../words/format";
import { KeepForm } from "./KeepForm";

/** The parcels of all places. */
export function ParcelTable({ parcels }: { parcels: Parcel[] }) {
  const [doomed, setDoomed] = useState<Parcel | null>(null);
  const [kept, setKept] = useState<Parcel | null>(null);
  const columns: DataColumn<Parcel>[] = [
    {
      title: "Parcel",
      csv: "name",
      value: (p) => p.name,
      cell: (p) => (
        <>
          {p.parts > 0 && !p.trouble ? (
            <Link to="/parcels/look" search={{ place: p.place, name: p.name }}>
              {p.name}
            </Link>
          ) : (
            p.name
          )}
          {p.account && !p.name.includes(p.account) && <div className="soft">{p.account}</div>}
        </>
      ),
      wide: true,
    },
    { title: "Packed from", csv: "service", value: (p) => p.service ?? "" },
    { title: "Files", csv: "files", value: (p) => p.parts, number: true },
    { title: "Size", csv: "octets", value: (p) => p.octets, cell: (p) => size(p.octets), number: true },
    {
      title: "Packed",
      csv: "packed_at",
      value: (p) => p.packedAt ?? "",
      cell: (p) => (p.packedAt ? farTime(p.packedAt) : "–"),
    },
    { title: "State", csv: "state", value: stateOf, cell: (p) => <State parcel={p} /> },
    {
      title: "Kept until",
      csv: "keep_until",
      value: (p) => p.keepUntil ?? "",
      cell: (p) => (
        <button type="button" className="link" onClick={() => setKept(p)} aria-label={`Keep ${p.name} until…`}>
          {p.keepUntil ? date(p.keepUntil) : "set a day…"}
        </button>
      ),
    },
    {
      title: "Delete",
      csv: "place",
      value: (p) => p.place,
      cell: (p) => (
        <Button size="xs" variant="default" onClick={() => setDoomed(p)} aria-label={`Delete ${p.name}…`}>
          Delete…
        </Button>
      ),
    },
  ];
  return (
    <>
      <DataTable
        label="Parcels"
        rows={parcels}
        columns={columns}
        rowKey={(p) => `${p.place}/${p.name}`}
        empty="No parcel yet. Pack somebody, or send one in."
        name="parcels"
        unit={["parcel", "parcels"]}
      />
      <Modal opened={doomed !== null} onClose={() => setDoomed(null)} title={`Delete ${doomed?.name ?? ""}`}>
        {doomed && <Deletion parcel={doomed} onClose={() => setDoomed(null)} />}
      </Modal>
      <Modal opened={kept !== null} onClose={() => setKept(null)} title={`How long ${kept?.name ?? ""} is kept`}>
        {kept && <KeepForm parcel={kept} onClose={() => setKept(null)} />}
      </Modal>
    </>
  );
}

const stateOf = (p: Parcel) =>
  p.trouble ?? (p.isUnderWay ? "being packed" : p.isEncrypted ? "complete, encrypted" : "complete");

function State({ parcel }: { parcel: Parcel }) {
  if (parcel.trouble) return <span className="bad">! {parcel.trouble}</span>;
  return <span>{`${parcel.isUnderWay ? "▸" : "✓"} ${stateOf(parcel)}`}</span>;
}

function Deletion({ parcel, onClose }: { parcel: Parcel; onClose: () => void }) {
  const client = useQueryClient();
  const deletion = useMutation({
    mutationFn: () => deleteParcel(parcel.place, parcel.name),
    onSuccess: () => {
      notifySuccess(`${parcel.name} was deleted`);
      void client.invalidateQueries({ queryKey: ["parcels"] });
      onClose();
    },
    onError: notifyFailure,
  });
  return (
    <div className="stack">
      <p style={{ margin: 0 }}>
        {parcel.parts === 1 ? "Its file is" : `All ${parcel.parts} files are`} deleted from the service's machine, and
        nobody can bring {parcel.parts === 1 ? "it" : "them"} back. Copies that were downloaded stay.
      </p>
      <div className="row">
        <Button color="red" loading={deletion.isPending} onClick={() => deletion.mutate()}>
          Delete it
        </Button>
        <Button variant="default" onClick={onClose}>
          Keep it
        </Button>
      </div>
    </div>
  );
}

import { Button } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { errandsQuery, parcelsQuery } from "../api/parcelQueries";
import { Failure } from "../parts/Failure";
import { Loading } from "../parts/Loading";
import { PackForm } from "./PackForm";
import { ParcelTable } from "./ParcelTable";
import { SendIn } from "./SendIn";
import { Settled } from "./Settled";
import { Underway } from "./Underway";

/** Accounts in files: who is being packed or unpacked, which parcels are there, and what can be done with them. */
export function ParcelsPage() {
  const parcels = useQuery(parcelsQuery);
  const errands = useQuery(errandsQuery);
  const [packs, setPacks] = useState(false);
  if (parcels.isPending || errands.isPending) return <Loading />;
  if (parcels.error) return <Failure error={parcels.error} again={() => void parcels.refetch()} />;
  if (errands.error) return <Failure error={errands.error} again={() => void errands.refetch()} />;
  return (
    <>
      <header>
        <h1>Parcels</h1>
        <p className="lede">
          Accounts packed in files, to be kept, handed over or put into another account. Every file can be checked to
          its last octet, on any machine.
        </p>
      </header>
      <SendIn>
        <Button onClick={() => setPacks(true)}>Pack somebody…</Button>
      </SendIn>
      <Underway errands={errands.data} />
      <h2>Parcels</h2>
      <ParcelTable parcels={parcels.data} />
      <Settled errands={errands.data} />
      <PackForm opened={packs} onClose={() => setPacks(false)} />
    </>
  );
}

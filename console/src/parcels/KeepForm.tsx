import { Button, TextInput } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { keepParcel, type Parcel } from "../api/parcelQueries";
import { Failure } from "../parts/Failure";
import { notifySuccess } from "../parts/notify";
import { date } from "../words/format";

/** Sets the day on which a parcel is deleted, or that only a person deletes it. */
export function KeepForm({ parcel, onClose }: { parcel: Parcel; onClose: () => void }) {
  const client = useQueryClient();
  const [day, setDay] = useState(parcel.keepUntil?.slice(0, 10) ?? "");
  const keep = useMutation({
    mutationFn: () => keepParcel(parcel.place, parcel.name, day ? `${day}T00:00:00Z` : null),
    onSuccess: () => {
      notifySuccess(`${parcel.name} is kept until ${day ? date(day) : "somebody deletes it"}`);
      void client.invalidateQueries({ queryKey: ["parcels"] });
      onClose();
    },
  });
  function submit(event: FormEvent) {
    event.preventDefault();
    keep.mutate();
  }
  return (
    <form className="stack" onSubmit={submit}>
      <TextInput
        type="date"
        label="Kept until"
        description="At the beginning of this day, in UTC, it is deleted with all its files. Empty: until somebody deletes it"
        value={day}
        onChange={(e) => setDay(e.currentTarget.value)}
        data-autofocus
      />
      {keep.error && <Failure error={keep.error} />}
      <Button type="submit" loading={keep.isPending} style={{ alignSelf: "start" }}>
        Keep it so
      </Button>
    </form>
  );
}

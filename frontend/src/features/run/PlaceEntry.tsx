import { useState } from "react";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";

interface PlaceProps {
  store: (at: { longitude: number; latitude: number }) => void;
}

/** Where it is: from the phone, or typed. */
export function PlaceEntry({ store }: PlaceProps) {
  const [longitude, setLongitude] = useState("");
  const [latitude, setLatitude] = useState("");
  const [trouble, setTrouble] = useState("");
  const take = () => {
    if (!navigator.geolocation) return setTrouble(say`This device gives no position; type it.`);
    navigator.geolocation.getCurrentPosition(
      (p) => store({ longitude: p.coords.longitude, latitude: p.coords.latitude }),
      () => setTrouble(say`No position came; step into the open, or type it.`),
      { enableHighAccuracy: true, timeout: 20_000 },
    );
  };
  const typed = () => {
    const at = [longitude, latitude].map((t) => Number(t.trim().replace(",", ".")));
    const [lon = Number.NaN, lat = Number.NaN] = at;
    if (longitude.trim() === "" || latitude.trim() === "" || !at.every(Number.isFinite)) {
      return setTrouble(say`Type longitude and latitude in degrees.`);
    }
    if (Math.abs(lon) > 180 || Math.abs(lat) >= 90) return setTrouble(say`That is not on the globe.`);
    store({ longitude: lon, latitude: lat });
  };
  return (
    <div className="mt-4">
      <Button
        kind="ink"
        className="min-h-11 w-full sm:w-auto"
        onClick={take}
      >{say`Take the position here`}</Button>
      <div className="mt-3 grid grid-cols-2 gap-3">
        <Field
          label={say`or longitude`}
          inputMode="text"
          value={longitude}
          onChange={(e) => setLongitude(e.target.value)}
        />
        <Field
          label={say`latitude`}
          inputMode="text"
          value={latitude}
          onChange={(e) => setLatitude(e.target.value)}
        />
      </div>
      <Button className="mt-2" onClick={typed}>{say`Save position`}</Button>
      {trouble && (
        <p role="alert" className="mt-2 font-bold text-clay">
          {trouble}
        </p>
      )}
    </div>
  );
}

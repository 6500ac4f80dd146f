import { useEffect, useState } from "react";
import { useNavigate, useParams } from "react-router";
import { useFarm, useUnits } from "../../app/farm";
import { errorsOf, momentOf, useApply, useWho } from "../../app/records";
import { quantity, show, toServer } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { useGrowth } from "./queries";

const KEYS = ["1", "2", "3", "4", "5", "6", "7", "8", "9", ".", "0", "⌫"];
const ODD_MM = 120;

/** Stems on the phone, plant by plant: one big figure at a time; what is typed stays on this device until it is sent. */
export function EnterPage() {
  const { key = "" } = useParams();
  const growth = useGrowth(key, undefined);
  if (growth.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (growth.isError) return <p className="py-6">{growth.error.message}</p>;
  const { plants, usual_plants, last_lengths_mm, name } = growth.data;
  const list = plants.length > 0 ? plants : Array.from({ length: usual_plants }, (_, i) => String(i + 1));
  return <Round block={key} name={name} plants={list} last={last_lengths_mm} />;
}

interface Props {
  block: string;
  name: string;
  plants: string[];
  last: Record<string, number>;
}

function Round({ block, name, plants, last }: Props) {
  const farm = useFarm();
  const navigate = useNavigate();
  const apply = useApply();
  const [who, setWho] = useWho();
  const units = useUnits();
  const { unit } = quantity("size", units);
  const inches = units === "us";
  const stem = (text: string) => Number(toServer(Number(text), "size", units).toFixed(1));
  const on = momentOf(farm).slice(0, 10);
  const place = `stems ${block} ${on}`;
  const [typed, setTyped] = useState<Record<string, string>>(() =>
    JSON.parse(localStorage.getItem(place) ?? "{}"),
  );
  const [at, setAt] = useState(0);
  const [trouble, setTrouble] = useState("");
  useEffect(() => localStorage.setItem(place, JSON.stringify(typed)), [place, typed]);
  const plant = plants[at] ?? "";
  const value = typed[plant] ?? "";
  const before = last[plant];
  const change = value === "" || before === undefined ? null : stem(value) - before;
  const press = (digit: string) =>
    setTyped({ ...typed, [plant]: digit === "⌫" ? value.slice(0, -1) : (value + digit).slice(0, 5) });
  const measured = Object.entries(typed).filter(([, text]) => Number(text) > 0);
  const send = async () => {
    try {
      await apply.mutateAsync({
        growth_days: [
          {
            key: `${block}-${on.replaceAll("-", "")}`,
            block,
            at: momentOf(farm),
            lengths_mm: Object.fromEntries(measured.map(([p, text]) => [p, stem(text)])),
            who,
          },
        ] as never,
      });
      localStorage.removeItem(place);
      navigate(`/block/${block}/growth`);
    } catch (error) {
      setTrouble(say`Not sent, saved on this device: ${errorsOf(error)[0]?.reason ?? ""}`);
    }
  };
  return (
    <div className="mx-auto max-w-md py-1">
      <h1>{sayWith`${name}: plant ${plant} ${<span className="secondary">{say`of ${plants.length}`}</span>}`}</h1>
      <p className="mt-2 flex items-baseline justify-between">
        <output
          className="figure text-[46px] leading-none font-bold"
          aria-label={say`length of plant ${plant}`}
        >
          {value || "–"}
          <span className="text-[20px]"> {unit}</span>
        </output>
        <span>{say`last ${before === undefined ? say`not measured` : `${inches ? (before / 25.4).toFixed(1) : before} ${unit}`}`}</span>
      </p>
      <p className="min-h-6">
        {change !== null && change < -2 && <b>{say`Shorter than last time: broken, or misread?`}</b>}
        {change !== null && change > ODD_MM && (
          <b>{say`${show(change, "size", units)} more than last time: right?`}</b>
        )}
      </p>
      <div className="grid grid-cols-3 gap-2">
        {KEYS.map((k) =>
          k ? (
            <button
              key={k}
              type="button"
              aria-label={k === "⌫" ? say`delete the last digit` : k}
              className="figure min-h-14 rounded-sheet border border-ink bg-panel text-[24px]"
              onClick={() => press(k)}
            >
              {k}
            </button>
          ) : (
            <span key="gap" />
          ),
        )}
      </div>
      <div className="mt-3 grid grid-cols-2 gap-2">
        <Button className="min-h-12" disabled={at === 0} onClick={() => setAt(at - 1)}>{say`Back`}</Button>
        <Button
          kind="ink"
          className="min-h-12"
          disabled={at >= plants.length - 1}
          onClick={() => setAt(at + 1)}
        >{say`Next plant`}</Button>
      </div>
      <Field label={say`Who`} value={who} onChange={(e) => setWho(e.target.value)} className="mt-3" />
      {trouble && <p className="mt-2 font-bold text-clay">{trouble}</p>}
      <Button
        kind={measured.length === plants.length ? "ink" : "plain"}
        className="mt-3 min-h-12 w-full"
        disabled={measured.length < 1 || apply.isPending}
        onClick={() => void send()}
      >{say`Save ${measured.length} of ${plants.length}`}</Button>
    </div>
  );
}

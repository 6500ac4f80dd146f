import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useFarm, useUnits } from "../../app/farm";
import { errorsOf, momentOf, newKey, useWho } from "../../app/records";
import { useMay } from "../../app/session";
import { show } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { markWords } from "./Hole";
import { type Sheet, useApply, useChannelCheck, useStation, useSwap } from "./queries";

/** Wet or warm one sensor at a time; the reading that moves is its channel. */
export function ChannelCheckPage() {
  const { block = "", station = "", check } = useParams();
  const sheet = useStation(block, station);
  if (sheet.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (sheet.isError) return <p className="py-6">{sheet.error.message}</p>;
  return (
    <div className="mx-auto max-w-4xl py-1">
      <p className="secondary">
        <Link className="underline" to={`/stations/${block}/${station}`}>
          {sheet.data.line.block_name}, {sheet.data.line.name}
        </Link>
      </p>
      <h1>{say`Channel check`}</h1>
      {check ? <Found checkKey={check} /> : <NewCheck sheet={sheet.data} />}
    </div>
  );
}

type Table = Record<string, Record<string, string>>;

function NewCheck({ sheet }: { sheet: Sheet }) {
  const units = useUnits();
  const farm = useFarm();
  const navigate = useNavigate();
  const apply = useApply();
  const [who] = useWho();
  const [before, setBefore] = useState<Record<string, string>>({});
  const [after, setAfter] = useState<Table>({});
  const [trouble, setTrouble] = useState("");
  const channels = sheet.sensors.map((s) => s.channel).filter(Boolean);
  const numbers = (texts: Record<string, string>) =>
    Object.fromEntries(
      Object.entries(texts)
        .filter(([, t]) => t.trim() !== "")
        .map(([name, t]) => [name, Number(t.replace(",", "."))]),
    );
  const store = async () => {
    const touches = Object.entries(after)
      .filter(([, row]) => Object.values(row).some((t) => t.trim() !== ""))
      .map(([sensor, row]) => ({ sensor, before: numbers(before), after: numbers(row) }));
    const key = newKey("check", farm);
    try {
      await apply.mutateAsync({
        channel_checks: [{ key, station: sheet.line.ref, at: momentOf(farm), who, touches }],
      });
      navigate(`/stations/${sheet.line.ref}/check/${key}`);
    } catch (error) {
      setTrouble(errorsOf(error)[0]?.reason ?? "");
    }
  };
  if (channels.length < 2)
    return <p className="mt-2">{say`Write the channels down first: they are part of the installation.`}</p>;
  return (
    <>
      <p className="mt-1 max-w-2xl">{say`Read every channel. Then wet one sensor, or warm it in your hand, and read every channel again. The one that moves is its channel, whatever is written.`}</p>
      <div className="mt-3 relative overflow-x-auto">
        <table className="text-left">
          <thead>
            <tr>
              <th className="pr-4 font-normal">{say`channel`}</th>
              <th className="pr-4 font-normal">{say`before`}</th>
              {sheet.sensors.map((s) => (
                <th
                  key={s.key}
                  className="pr-3 font-normal"
                >{sayWith`touched ${show(s.depth_cm, "soilDepth", units)}${<span className="secondary block">{markWords(s.mark)}</span>}`}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {channels.map((channel) => (
              <tr key={channel} className="border-t border-rule">
                <th className="figure pr-4 text-left font-normal">{channel}</th>
                <td className="pr-4">
                  <Cell
                    label={say`${channel} before`}
                    value={before[channel] ?? ""}
                    change={(t) => setBefore({ ...before, [channel]: t })}
                  />
                </td>
                {sheet.sensors.map((s) => (
                  <td key={s.key} className="pr-3">
                    <Cell
                      label={say`${channel} with ${show(s.depth_cm, "soilDepth", units)} touched`}
                      value={after[s.key]?.[channel] ?? ""}
                      change={(t) => setAfter({ ...after, [s.key]: { ...after[s.key], [channel]: t } })}
                    />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {trouble && (
        <p role="alert" className="mt-2 font-bold text-clay">
          {trouble}
        </p>
      )}
      <Button
        kind="ink"
        className="mt-4"
        disabled={apply.isPending}
        onClick={() => void store()}
      >{say`See which moved`}</Button>
    </>
  );
}

function Cell({ label, value, change }: { label: string; value: string; change: (text: string) => void }) {
  return (
    <input
      aria-label={label}
      inputMode="decimal"
      className="figure w-20 rounded-sheet border border-rule bg-panel px-2 py-1"
      value={value}
      onChange={(e) => change(e.target.value)}
    />
  );
}

function Found({ checkKey }: { checkKey: string }) {
  const units = useUnits();
  const check = useChannelCheck(checkKey);
  const swap = useSwap(checkKey);
  const may = useMay();
  if (!check.data) return <p className="secondary">{check.error?.message ?? say`Opening …`}</p>;
  const depth = (key: string) => {
    const found = check.data.touches.find((t) => t.sensor === key);
    return found ? show(found.depth_cm, "soilDepth", units) : key;
  };
  return (
    <>
      <ul className="mt-3">
        {check.data.touches.map((t) => (
          <li key={t.sensor} className="grid grid-cols-[6rem_1fr_auto] gap-3 border-t border-rule py-1.5">
            <b>{show(t.depth_cm, "soilDepth", units)}</b>
            <span>{t.words}</span>
            <b>{t.moved === null ? say`not clear` : t.agrees ? say`right` : say`wrong`}</b>
          </li>
        ))}
      </ul>
      {check.data.swaps.map(({ one, other }) => (
        <section key={`${one} ${other}`} className="sheet mt-4 p-4">
          <h2 className="text-[17px] font-bold">{say`${depth(one)} and ${depth(other)}: the wires are crossed`}</h2>
          <p className="mt-1">{say`The swap exchanges their channels, so that readings to come go to the right depth. The readings stored since the station went in can change places too: no value is altered, only whose it is.`}</p>
          {may("sensors") ? (
            <div className="mt-3 flex flex-wrap gap-3">
              <Button
                kind="act"
                disabled={swap.isPending}
                onClick={() => swap.mutate(true)}
              >{say`Swap channels and readings`}</Button>
              <Button
                disabled={swap.isPending}
                onClick={() => swap.mutate(false)}
              >{say`Swap channels only`}</Button>
            </div>
          ) : (
            <p className="mt-3 font-bold">{say`The check is kept. An agronomist makes the swap.`}</p>
          )}
        </section>
      ))}
      {check.data.swapped && <p className="mt-4 font-bold">{say`Channels swapped.`}</p>}
      {!check.data.swapped && check.data.swaps.length === 0 && check.data.touches.every((t) => t.agrees) && (
        <p className="mt-4 font-bold">{say`Every channel is where it is written.`}</p>
      )}
      {swap.isError && <p className="font-bold text-clay">{swap.error.message}</p>}
    </>
  );
}

import { useState } from "react";
import { errorsOf } from "../../app/records";
import { clock, dayMonth, wall } from "../../lib/dates";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { type Gateway, useGateways, useMakeGateway, useRevokeGateway } from "./queries";

/** Devices that send by themselves: when they were heard, how their battery is, and a token for a new one. */
export function Gateways() {
  const list = useGateways();
  const make = useMakeGateway();
  const revoke = useRevokeGateway();
  const [key, setKey] = useState("");
  const [token, setToken] = useState<{ key: string; token: string }>();
  const submit = async () => {
    try {
      setToken(await make.mutateAsync(key.trim().toLowerCase()));
      setKey("");
    } catch {
      setToken(undefined);
    }
  };
  return (
    <section aria-label={say`Loggers that send`} className="mt-8">
      <h2 className="text-[17px] font-bold">{say`Loggers that send automatically`}</h2>
      <ul className="mt-1">
        {list.data?.map((g) => (
          <li key={g.key} className="grid grid-cols-[1fr_1fr_auto_auto] gap-x-4 border-t border-rule py-1.5">
            <b>{g.name}</b>
            <span>{heard(g)}</span>
            <span className="figure">
              {g.battery_v === null ? "" : `${g.battery_v.toFixed(2)} V`}
              {g.battery_low && <b> {say`low`}</b>}
            </span>
            {g.revoked ? (
              <span />
            ) : (
              <button
                type="button"
                className="underline"
                onClick={() => revoke.mutate(g.key)}
              >{say`revoke`}</button>
            )}
          </li>
        ))}
      </ul>
      {token && (
        <div className="sheet mt-3 border-2 border-ink p-3" role="status">
          <p>{sayWith`The token of ${<b>{token.key}</b>}, shown this once; it is kept as a hash only:`}</p>
          <p className="figure mt-1 break-all select-all">{token.token}</p>
          <Button kind="quiet" onClick={() => setToken(undefined)}>{say`Done`}</Button>
        </div>
      )}
      <form
        className="mt-3 flex flex-wrap items-end gap-3"
        noValidate
        onSubmit={(e) => {
          e.preventDefault();
          void submit();
        }}
      >
        <Field
          label={say`Name of a new logger`}
          hint={say`small letters, numbers, dashes`}
          value={key}
          error={make.isError ? errorsOf(make.error)[0]?.reason : undefined}
          onChange={(e) => setKey(e.target.value)}
        />
        <Button type="submit" disabled={make.isPending}>{say`Make its token`}</Button>
      </form>
      <p className="secondary mt-2">{sayWith`It sends to ${<span className="figure">{say`POST /api/ingest`}</span>} with ${<span className="figure">{say`Authorization: Bearer …`}</span>}; the format stands in docs/data-formats.md.`}</p>
    </section>
  );
}

function heard(g: Gateway): string {
  if (g.revoked) return say`revoked`;
  return g.last_seen
    ? say`heard ${dayMonth(wall(g.last_seen))}, ${clock(wall(g.last_seen))}`
    : say`not heard yet`;
}

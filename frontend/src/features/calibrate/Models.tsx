import { Link } from "react-router";
import { say, sayCode, sayWith } from "../../lib/words";
import type { SheetDraft, SheetWorked } from "./queries";

type Model = NonNullable<SheetDraft["model"]>;

interface Props {
  worked: SheetWorked;
  chosen: Model;
  choose: (model: Model) => void;
  group: string;
  setGroup: (group: string) => void;
}

function percent(theta: number | null | undefined): string {
  if (theta === null || theta === undefined) return "–";
  const figure = (theta * 100).toFixed(1);
  return `${Number(figure) === 0 ? "0.0" : figure.replace("-", "−")} %`;
}

/** The candidate curves by the error of tins left out, and whether one may serve all soils and depths. */
export function Models({ worked, chosen, choose, group, setGroup }: Props) {
  return (
    <section aria-label={say`Curves`} className="mt-2">
      <p>
        <b>{worked.best ? say`Best: ${worked.words}` : worked.words}.</b>
      </p>
      {worked.meaning && <p>{say`That is ${worked.meaning.words}.`}</p>}
      {worked.fits.length > 0 && (
        <table className="mt-1 w-full text-left text-[13.5px]">
          <thead>
            <tr>
              {["", say`left out`, say`fitted`, say`bias`, "n"].map((h) => (
                <th key={h} scope="col" className="border-b border-ink font-normal">
                  {h || <span className="sr-only">{say`to do`}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {worked.fits.map((fit) => (
              <tr key={fit.model} className="border-b border-rule align-top">
                <th scope="row" className="py-1 pr-2 text-left font-normal">
                  {fit.refused ? (
                    <span className="text-ink-2">{sayCode(fit.model)}</span>
                  ) : (
                    <label className="whitespace-nowrap">
                      <input
                        type="radio"
                        name="model"
                        className="mr-1.5"
                        checked={worked.shown === fit.model}
                        onChange={() => choose(fit.model as Model)}
                      />
                      {sayCode(fit.model)}
                      {worked.best === fit.model && <b> {say`(best)`}</b>}
                    </label>
                  )}
                </th>
                {fit.refused ? (
                  <td colSpan={4} className="py-1 text-[13px]">{say`Not used: ${fit.refused}.`}</td>
                ) : (
                  <>
                    <td className="figure py-1 font-bold">{percent(fit.left_out_rmse_theta)}</td>
                    <td className="figure py-1">{percent(fit.rmse_theta)}</td>
                    <td className="figure py-1">{percent(fit.bias_theta)}</td>
                    <td className="figure py-1">{fit.n}</td>
                  </>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {worked.shown && (
        <p className="figure mt-1 text-[13px]">
          {worked.fits.find((f) => f.model === worked.shown)?.formula}
        </p>
      )}
      {chosen && chosen !== worked.shown && <p>{say`The ${chosen} curve cannot be used on these tins.`}</p>}
      {worked.groups.length > 1 && (
        <p className="mt-2">
          <label>
            <b>{say`Soils and depths:`} </b>
            <select
              value={group}
              onChange={(e) => setGroup(e.target.value)}
              className="rounded-sheet border border-rule bg-panel"
            >
              <option value="">{say`all together`}</option>
              {worked.groups.map((g) => (
                <option key={g}>{g}</option>
              ))}
            </select>
          </label>{" "}
          {worked.pooling}.
        </p>
      )}
      {worked.agreements.length > 0 && <Agreements worked={worked} />}
      {!worked.best && (
        <p className="mt-2">{sayWith`Until a curve stands, these sensors give an index. See ${<Link className="underline" to="/bench?tab=calibration">{say`what is still wanted`}</Link>}.`}</p>
      )}
    </section>
  );
}

function Agreements({ worked }: { worked: SheetWorked }) {
  return (
    <div className="mt-2">
      {worked.agreements.map((a) => (
        <p
          key={`${a.against} ${a.soil}`}
        >{sayWith`${<b>{a.against}</b>}${a.soil ? `, ${a.soil}` : ""}: bias ${percent(a.bias_theta)}, error ${percent(a.rmse_theta)} (${a.count}). ${a.words}.`}</p>
      ))}
    </div>
  );
}

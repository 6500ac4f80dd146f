import { Link } from "react-router";
import { useMay } from "../../app/session";
import { say } from "../../lib/words";
import { useReadPackage } from "../data/queries";

const STEPS = [
  {
    title: say`Describe a block`,
    text: say`Its soil, its irrigation system, and at which depths its sensors lie. From these come the full point, the refill point and the set time.`,
    to: "/setup/new",
    action: say`Set up a block`,
  },
  {
    title: say`Bring in readings`,
    text: say`A logger file with a time column and one column a sensor. You map the columns once; the next file is read the same way. Without a file at hand, the page makes one to try.`,
    to: "/import",
    action: say`Import a logger file`,
  },
  {
    title: say`Read the Round`,
    text: say`Every morning: which blocks need water today, how much, for how long, and which sensor not to trust. The date needs readings from four dawns.`,
    to: "/",
    action: "",
  },
];

/** What to do first, with the present step marked. */
export function FirstSteps({ step }: { step: number }) {
  return (
    <section aria-label={say`First steps`} className="max-w-3xl py-6">
      {step === 0 && <h1>{say`The root zone is a reservoir. Start by describing one.`}</h1>}
      <ol className="mt-4 border-t border-rule">
        {STEPS.map((s, index) => (
          <li key={s.title} className="grid grid-cols-[2.5rem_1fr] border-b border-rule py-4">
            <span className="figure text-[22px]">{index + 1}</span>
            <div>
              <h2 className={`text-[17px] font-bold ${index < step ? "text-ink-2" : ""}`}>
                {s.title}
                {index < step && say` · done`}
              </h2>
              <p className="secondary mt-0.5 max-w-xl">{s.text}</p>
              {index === step && s.action && (
                <Link
                  to={s.to}
                  className="mt-2 inline-block rounded-sheet bg-clay px-4 py-1.5 font-bold text-panel"
                >
                  {s.action}
                </Link>
              )}
            </div>
          </li>
        ))}
      </ol>
      {step === 0 && <FromPackage />}
    </section>
  );
}

/** The other way in: a farm that was taken along as a package. */
function FromPackage() {
  const may = useMay();
  const read = useReadPackage();
  if (!may("package")) return null;
  return (
    <div className="mt-5">
      <h2 className="text-[17px] font-bold">{say`Or bring a farm with you`}</h2>
      <p className="secondary max-w-xl">{say`A package (.zip) that another Embalse wrote, with its readings, records and past. All of it is read, or nothing.`}</p>
      <label className="mt-2 inline-block cursor-pointer rounded-sheet border border-ink px-4 py-1.5 font-bold focus-within:outline-2">
        {say`Choose the package`}
        <input
          type="file"
          className="sr-only"
          aria-label={say`Package of a farm`}
          accept=".zip"
          disabled={read.isPending}
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) read.mutate(file);
          }}
        />
      </label>
      {read.isPending && <p role="status">{say`Reading it …`}</p>}
      {read.isError && (
        <p role="alert" className="font-bold text-clay">{say`Nothing was saved: ${read.error.message}`}</p>
      )}
    </div>
  );
}

import { useState } from "react";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useFarm, useUnits } from "../../app/farm";
import { momentOf, newKey, useWho } from "../../app/records";
import { quantity, toServer } from "../../lib/units";
import { say } from "../../lib/words";
import { Choice } from "../../ui/Field";
import { useApply } from "./queries";

/** How the farm marks depths: counted from the top, from the bottom, or its own colours, numbers and knots. */
export function SchemeDialog({ scheme, close }: { scheme: string; close: () => void }) {
  const farm = useFarm();
  const units = useUnits();
  const apply = useApply();
  const [who] = useWho();
  const [chosen, setChosen] = useState(scheme || say`counted down`);
  const store = (form: FormData) => {
    const marks =
      chosen === "own"
        ? textIn(form, "marks")
            .split(/\r?\n/)
            .map((line) => line.split(/[;,]/).map((part) => part.trim()))
            .filter((parts) => parts[0])
            .map(([depth = "", number = "", colour = "", knots = ""]) => ({
              depth_cm: toServer(Number(depth.replace(",", ".")), "soilDepth", units),
              number,
              colour,
              knots: knots === "" ? null : Number(knots),
            }))
        : [];
    return apply.mutateAsync({
      depth_schemes: [
        {
          key: newKey("scheme", farm),
          valid_from: momentOf(farm).slice(0, 10),
          scheme: chosen,
          marks,
          who,
          note: "",
        },
      ] as never,
    });
  };
  return (
    <FormDialog
      title={say`How depths are marked`}
      open
      close={close}
      store={store}
      label={say`Use on the whole farm`}
    >
      {(refused) => (
        <>
          <p>{say`Two ways are common, and they contradict each other. Choose one, and every tag, drawing and wiring list says it the same way.`}</p>
          <Choice
            label={say`Marks`}
            value={chosen}
            options={[
              { value: "counted down", label: say`1 is the shallowest` },
              { value: "counted up", label: say`1 is the deepest` },
              { value: "own", label: say`our own colours, numbers or knots` },
            ]}
            change={setChosen}
            error={refused.scheme}
          />
          {chosen === "own" && (
            <label>
              <span className="block text-[13px] font-bold">{say`One a line: depth in ${quantity("soilDepth", units).unit}; number; colour; knots`}</span>
              <textarea
                name="marks"
                className="figure mt-1 h-28 w-full rounded-sheet border border-rule bg-panel p-2"
                placeholder={"30; ; red; 1\n60; ; blue; 2"}
              />
            </label>
          )}
        </>
      )}
    </FormDialog>
  );
}

import { say } from "../../lib/words";
import { Field } from "../../ui/Field";
import { useChoices } from "./queries";

interface CropFieldProps {
  value: string;
  change: (crop: string) => void;
  error: string | undefined;
}

/** A crop by its name, with what the library lacks of it said before it is chosen. */
export function CropField({ value, change, error }: CropFieldProps) {
  const crops = useChoices().data?.crops ?? [];
  const wanted = value.trim().toLowerCase();
  const known = crops.filter((c) => c.crop === wanted || c.crop.startsWith(`${wanted} `));
  const found = known.length === 1 ? known[0] : known.find((c) => c.crop === wanted);
  return (
    <>
      <Field
        label={say`Crop`}
        list="library-crops"
        value={value}
        error={error}
        hint={crops.length === 0 || wanted === "" ? undefined : hintOf(found)}
        required
        onChange={(e) => change(e.target.value)}
      />
      <datalist id="library-crops">
        {crops.map((c) => (
          <option key={c.crop} value={c.crop}>
            {lacksOf(c)}
          </option>
        ))}
      </datalist>
    </>
  );
}

function hintOf(found: { crop: string; lacks: string[] } | undefined) {
  if (!found) return say`not in the library: enter its values`;
  return say`in the library as “${found.crop}”; ${lacksOf(found)}`;
}

/** What the library lacks of a crop, in a few words. */
export const lacksOf = (crop: { lacks: string[] }) =>
  crop.lacks.length > 0 ? say`it lacks ${crop.lacks.join(", ")}` : say`nothing is lacking`;

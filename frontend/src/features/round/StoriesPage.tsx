import { Link } from "react-router";
import { useFarm } from "../../app/farm";
import { say } from "../../lib/words";

const STORIES: Record<string, { words: string; look: string; at: string }> = {
  "norte-1": {
    words: say`Almonds in their prime, two probes that agree, and one sensor that has been stuck since Friday.`,
    look: say`Start here: the block, its working, and how a stuck sensor is left out`,
    at: "",
  },
  "norte-2": {
    words: say`Young almonds watered by the programme of their big neighbour, by habit. Water goes below the roots.`,
    look: say`The audit: where the water of each set went`,
    at: "/audit",
  },
  ladera: {
    words: say`Pistachios on a slope. Water comes faster than the soil takes it: wet on top, dry below.`,
    look: say`What the weeks say, and the wettings`,
    at: "",
  },
  circulo: {
    words: say`Alfalfa under a pivot in a hot spell. The machine cannot keep up, and a cutting is ahead.`,
    look: say`The date to start by, and the keep-dry period`,
    at: "",
  },
  mesa: {
    words: say`Garlic two weeks before lifting, read by hand. The last set of the season is being decided.`,
    look: say`Closing the season`,
    at: "/closing",
  },
  bajo: {
    words: say`Tomatoes by tension. One pair of sensors is wired the wrong way round.`,
    look: say`The marks, and the pair to go and see on the Round`,
    at: "/marks",
  },
  olivar: {
    words: say`Olives kept short of water on purpose, stage by stage; the trunks have their say.`,
    look: say`Growth, and the rule of each stage`,
    at: "/growth",
  },
  vega: {
    words: say`Sunflowers in furrows on heavy clay. Growth told its refill point; seventeen sets to get round.`,
    look: say`Tension and water`,
    at: "/tension",
  },
  tunel: {
    words: say`Peppers with home-made sensors nobody has calibrated. No amounts, and it says so.`,
    look: say`The index, and the samples that would change that`,
    at: "",
  },
  loma: {
    words: say`A block of many nodes: shown as a map, where that is no invention, and watered by zones.`,
    look: say`Between the stations`,
    at: "/map",
  },
};

/** What the demonstration's farm shows, block by block, and where to look. */
export function StoriesPage() {
  const farm = useFarm();
  const told = farm.blocks.filter((b) => STORIES[b.key]);
  return (
    <div className="max-w-4xl py-1">
      <h1>{say`A farm to look around in`}</h1>
      <p className="mt-1">{say`${farm.name} is made up: its soils, its weather and its mistakes were computed, and nothing you change here can hurt. Go one hour, day or week ahead in the header, or see any past morning in the ribbon under it.`}</p>
      <ul className="mt-3">
        {told.map((b) => (
          <li
            key={b.key}
            className="grid gap-x-5 border-t border-rule py-2 sm:grid-cols-[9rem_minmax(0,1fr)]"
          >
            <Link className="text-[17px] font-bold hover:underline" to={`/block/${b.key}`}>
              {b.name}
            </Link>
            <span>
              {STORIES[b.key]?.words}{" "}
              <Link
                className="whitespace-nowrap underline max-lg:whitespace-normal"
                to={`/block/${b.key}${STORIES[b.key]?.at ?? ""}`}
              >
                {STORIES[b.key]?.look}
              </Link>
            </span>
          </li>
        ))}
      </ul>
      <p className="mt-3 border-t border-rule pt-2">{say`Then: the plan for tonight, a round of readings by hand on your phone, the bench with its sensors, and a logger file of your own at Import.`}</p>
    </div>
  );
}

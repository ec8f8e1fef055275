import type { CraftDocument, Told } from "../../api/types";
import { SayChoice, SayNumber, Sentence } from "../../look/Sentence";

export type Place = NonNullable<Told["lost_link"]>["place"];

/** Where it flies, read as a sentence. */
export function PlaceSentence({ place, craft, say }: { place: Place; craft: CraftDocument; say: (change: Partial<Place>) => void }) {
  const boat = craft.airframe === "boat";
  const ground = boat || craft.airframe === "rover";
  const number = (
    name: keyof Place,
    label: string,
    unit: string,
    max: number,
    { min = 0, empty }: { min?: number; empty?: string } = {},
  ) => (
    <SayNumber
      label={label}
      value={(place[name] as number | null | undefined) ?? null}
      unit={unit}
      min={min}
      max={max}
      {...(empty === undefined ? {} : { empty })}
      onSay={(to) => (to !== null || empty !== undefined) && say({ [name]: to } as Partial<Place>)}
    />
  );
  return (
    <>
      <Sentence>
        It weighs {number("mass_kg", "Mass", "kg", 25, { min: 0.05 })}
        {!ground && <> and its motors pull {number("thrust_ratio", "Thrust by weight", "", 15, { min: 0.1 })} times that</>}. When the link
        dies it goes {number("speed_mps", "Speed", "m/s", 60)} through the {boat ? "water" : "air"}
        {!ground && <>, {number("height_m", "Height", "m", 3000)} high</>}, {number("home_m", "Distance from home", "m", 50000)} from home
        and away from it
        {craft.airframe !== "rover" && (
          <>
            , with {number("wind_mps", boat ? "Current" : "Wind", "m/s", 25)} of {boat ? "current" : "wind"} in its back
          </>
        )}
        .
      </Sentence>
      <Sentence>
        {!ground && (
          <>
            Around stand things of {number("obstacle_height_m", "Height of what stands around", "m", 300)}, the ground rises{" "}
            {number("rise_m", "Rise of the ground towards home", "m", 500, { min: -200 })} towards home;{" "}
          </>
        )}
        {boat ? "shore or obstacle" : "the next obstacle ahead"}{" "}
        {number("obstacle_m", boat ? "Distance to the shore" : "Distance to the next obstacle", "m away", 50000, { empty: "is nowhere" })}.
        People are {number("people_m", "Distance to people", "m away", 50000, { empty: "nowhere near" })}
        {!ground && <>, a blow may have {number("energy_limit_j", "Energy of a blow", "J", 100000, { empty: "any energy" })}</>}. The pack
        is {number("pack_left_percent", "Pack left", "%", 100)} full.
      </Sentence>
      {!ground && (
        <Sentence>
          It flies over{" "}
          <SayChoice
            label="Over"
            value={place.water ? "water" : "land"}
            choices={[
              { value: "land", text: "land" },
              { value: "water", text: "water" },
            ]}
            onSay={(over) => say({ water: over === "water" })}
          />
          , and at home{" "}
          <SayChoice
            label="At home is"
            value={place.somebody_home ? "somebody" : "nobody"}
            choices={[
              { value: "somebody", text: "stands somebody" },
              { value: "nobody", text: "is nobody" },
            ]}
            onSay={(who) => say({ somebody_home: who === "somebody" })}
          />
          . Its barometer is{" "}
          <SayChoice
            label="Barometer"
            value={place.vented ? "vented" : "open"}
            choices={[
              { value: "open", text: "open to the wind" },
              { value: "vented", text: "shielded and vented" },
            ]}
            onSay={(how) => say({ vented: how === "vented" })}
          />
          .
        </Sentence>
      )}
    </>
  );
}

import type { Craft, CraftDocument, Edit, Parts } from "../api/types";
import type { partsOf } from "./parts";

/** What a hop needs that looks at the running bench. */
export interface HopProps {
  craft: Craft;
  parts: ReturnType<typeof partsOf> & object;
  /** Edits that were worked out from a draft name its version. */
  edit: (change: ((document: CraftDocument) => CraftDocument) | Edit[], madeFor?: number) => void;
}

/** What the hops need that work before there is a bench. */
export interface DraftHopProps {
  craft: Craft;
  catalogue: Parts;
  edit: HopProps["edit"];
}

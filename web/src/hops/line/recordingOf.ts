import { api, taken } from "../../api/client";
import type { Recording } from "../../api/types";

/** A recording by its id. */
export const recordingOf = (id: string) =>
  taken<Recording>(api.GET("/api/recordings/{recording_id}", { params: { path: { recording_id: id } } }));

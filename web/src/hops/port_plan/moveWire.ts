import type { DraftHopProps } from "../../craft/hopProps";

/** Solder one wire to another pad by hand; the check says what comes of it. */
export function moveWire({ edit }: Pick<DraftHopProps, "edit">, device: string, pin: string, pad: string | null) {
  edit((document) => {
    const wiring = document.wiring ?? [];
    const kept = wiring.filter((patch) => patch.device !== device || patch.pin !== pin);
    document.wiring = pad === null ? kept : [...kept, { device, pin, pad, fixed: false, inverter: false }];
    return document;
  });
}

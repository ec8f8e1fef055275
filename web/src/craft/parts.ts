import type { CraftDocument, Parts } from "../api/types";

/** The craft's own parts from the catalogue; null where one is missing. */
export function partsOf(catalogue: Parts, document: CraftDocument) {
  const board = catalogue.boards.find((each) => each.id === document.kit.board);
  const receiver = catalogue.receivers.find((each) => each.id === document.kit.receiver);
  const transmitter = catalogue.transmitters.find((each) => each.id === document.kit.transmitter);
  return board && receiver && transmitter ? { board, receiver, transmitter, choices: catalogue } : null;
}

import type { Hop } from "../api/types";
import type { Purpose } from "../look/HopHead";

/** What each hop is for, in three sentences, and the order of its steps. */
export const PURPOSES: Record<Hop, Purpose> = {
  kit: {
    says: "The kit is what lies on the bench: a board, a receiver, a transmitter, and whatever else is to be wired. Here you see whether the two ends of the link can understand each other at all, and how many channels arrive. Whatever does not fit is cheaper to find now than after soldering.",
    steps: ["Choose board, receiver and transmitter.", "Add the other devices.", "Look at what you need beside what the set can do."],
  },
  "port plan": {
    says: "Every device needs a pad on which it can speak and listen, and a port that is free for it. Boards share pins, lack inverters and keep ports for themselves, so a plan by hand often clashes. Here the plan is worked out, with the reason for every choice.",
    steps: ["Work it out, or pick a device and a pad.", "Take the plan that suits you.", "Write it to the board and restart it."],
  },
  loom: {
    says: "The loom is every wire between the devices and the board. Here each one is drawn, and checked for what it carries: supply, levels, currents, and who drives it. A wire counts as proven once it was rung out, or once the signal came through it.",
    steps: ["Mend what is wrong on paper.", "Print the drawing or the wire list.", "Solder, ring out each wire, and mark it."],
  },
  load: {
    says: "Load is about the firmware on the transmitter's end, the receiver and the board. Two ends with firmware of different families do not understand each other, whatever you bind. Here you see what runs, what would fit, and how to get back when a flash went wrong.",
    steps: ["See whether both ends match.", "Choose an image and a way in.", "Flash, and see it run."],
  },
  bind: {
    says: "Binding makes a receiver listen to one transmitter and no other. Each receiver has its own way, and shows by its light what it waits for. The bind is proven when both ends find each other again after both were off.",
    steps: ["Follow the next step, one end at a time.", "Watch the light.", "Switch both ends off and on again."],
  },
  line: {
    says: "The line is the wire from the receiver to the board, with what is really on it. Here the same wire is read twice: as it is, and as the port with its settings reads it. Where the two differ, the reason and what would mend it stand beside them.",
    steps: ["Look at what is on the wire.", "Look at what the port makes of it.", "Set the port so that it reads all of it, and write it."],
  },
  sticks: {
    says: "Each stick has to arrive on its channel, the right way round, over its whole travel, and rest at its centre. Here all of that is measured while you move the sticks, one at a time. What is short or shifted is turned into figures to dial into the transmitter.",
    steps: ["Move each stick to both its ends, and let go.", "Dial in what the table says.", "Let both sticks rest, and set the deadband."],
  },
  switchboard: {
    says: "A switch turns a mode on where its channel rests inside the mode band. Here every resting value is learned while you flip, and the mode bands are set around them with room to spare. It is proven when every combination did what its row says.",
    steps: [
      "Flip every switch through its positions.",
      "Give arming and your modes their mode bands, and write them.",
      "Walk through every row.",
    ],
  },
  "lost link": {
    says: "When the radio dies, the receiver does something, the board notices after a while, and then the craft does what you chose. Here that chain of events, and where the craft is meanwhile, is predicted from parts, settings and the place, and measured beside it on the bench. Nobody should fly before every proof was seen once.",
    steps: [
      "Choose what receiver and board do, and say where you fly.",
      "Take the propellers off, arm, and push the throttle up.",
      "Switch the transmitter off, watch, and switch it on again; then the other proofs, in their order.",
    ],
  },
  downlink: {
    says: "Telemetry is all that you know of a craft that is far away. Here its way home is worked out and followed: who knows what, on which wire it goes, how often each value comes, and where the way stops. A sensor that does not come has its cause beside it, and what comes next.",
    steps: [
      "Let the transmitter look for sensors.",
      "Go through those that are missing, one after the other.",
      "Switch off what you do not need where what matters comes too seldom.",
    ],
  },
  airframe: {
    says: "What leaves the board moves the craft, the right way only if the board knows how it sits in it. Here that is found with the craft in your hands, and set; then what it takes for level, whether the pack that lies there is the right one, and whether every motor and surface does what it should. None of it is chosen from a list: it is measured, and said.",
    steps: [
      "Hold the craft in three poses, set what was found, write it, and look where the USB socket points; then set it level, and let it rest.",
      "Hold a meter to the pack. Then, props off, turn each motor with a held key, and answer with the craft which corner moved, and which way.",
      "Move each stick, then the craft: its surfaces must follow the one, and steady the other.",
    ],
  },
};

export interface Stick {
  x: number;
  y: number;
}

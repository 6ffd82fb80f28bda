import { parameters } from "../parameters";
import type { ChannelCurve, DisplayCurve } from "./curve";

/** From black to white in proportion, whatever the sky: for maps, and for what is no light. */
export const straight: DisplayCurve<object> = {
  id: "straight",
  title: "Straight",
  parameters: parameters({}) as DisplayCurve<object>["parameters"],
  words: () => "in proportion, from 0 to white",
  channels: (_params, { level, white }) => level.map(() => straightCurve(0, white)),
};

export const straightCurve = (black: number, white: number): ChannelCurve => ({
  black,
  white,
  shape: "straight",
  at: (v) => (v - black) / (white - black),
});

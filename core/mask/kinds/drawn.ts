import { slider } from "../../parameters";
import { maskKind } from "../kind";
import { ellipseCorners, insideOutline } from "../outline";

const feather = slider({
  label: "Feather",
  hint: "Width over which the outline fades out, half inside and half outside of it",
  unit: "px",
  min: 0,
  max: 400,
  step: 1,
  default: 20,
});

/** What lies inside an outline that was drawn free hand. */
export const freehand = maskKind({
  id: "freehand",
  title: "Outline",
  summary: "What you draw round, free hand.",
  drawn: "freehand",
  needs: [],
  fields: { feather },
  reach: () => 0,
  values: (look, params) => insideOutline(look.outline, look, params.feather),
});

/** What lies inside a polygon. */
export const polygon = maskKind({
  id: "polygon",
  title: "Polygon",
  summary: "What lies inside corners that you set.",
  drawn: "corners",
  needs: [],
  fields: { feather },
  reach: () => 0,
  values: (look, params) => insideOutline(look.outline, look, params.feather),
});

/** What lies inside an ellipse: outline = its centre and the ends of two half-diameters. */
export const ellipse = maskKind({
  id: "ellipse",
  title: "Ellipse",
  summary: "What lies inside an ellipse.",
  drawn: "ellipse",
  needs: [],
  fields: { feather },
  reach: () => 0,
  values: (look, params) =>
    insideOutline(look.outline.length === 3 ? ellipseCorners(look.outline) : [], look, params.feather),
});

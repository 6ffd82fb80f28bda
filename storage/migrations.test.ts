import { MIGRATIONS, readRecord } from "./migrations";
import { boardRecord, chainRecord, projectRecord, RECORD_VERSION, stackRecord, subRecord } from "./records";
import { project, stack, sub } from "./testing";

test("records of a newer version are refused as such, older ones are brought forward", () => {
  expect(readRecord("projects", projectRecord, { ...project, version: RECORD_VERSION + 1 })).toMatchObject({
    ok: false,
    reason: { why: "newer" },
  });
  const { version: _version, ...unversioned } = project;
  expect(readRecord("projects", projectRecord, unversioned)).toEqual({ ok: true, value: project });
  expect(readRecord("projects", projectRecord, { ...project, name: "" })).toMatchObject({
    ok: false,
    reason: { why: "damaged" },
  });
});

test("records of version 1 become those of today: a sub that was left out is rejected by hand", () => {
  const old = {
    ...sub("old", 3),
    version: 1,
    included: false,
    pixelScale: 1.6,
    ...Object.fromEntries(
      [
        "type",
        "fileId",
        "frame",
        "timeMs",
        "decision",
        "rival",
        "format",
        "typed",
        "video",
        "measuredThrough",
        "measuredSize",
        "relation",
        "patches",
      ].map((key) => [key, undefined]),
    ),
  };
  expect(readRecord("subs", subRecord, old)).toEqual({ ok: true, value: { ...sub("old", 3), decision: "reject" } });
  const { rules: _r, patches: _b, columns: _c, calibration: _k, ...first } = project;
  expect(readRecord("projects", projectRecord, { ...first, version: 1 })).toEqual({ ok: true, value: project });
  const { calibration: _calibration, ...plain } = stack("s");
  expect(readRecord("stacks", stackRecord, { ...plain, version: 1 })).toEqual({ ok: true, value: stack("s") });
});

test("records of version 2 get a unit, and rules in % of the sky's level are switched off, not lost", () => {
  const { unit: _, ...old } = { ...sub("old", 0), version: 2 };
  const read = readRecord("subs", subRecord, old);
  expect(read.ok && read.value.unit).toMatchObject({ name: "ADU", storedPerUnit: 65535, fullScale: 65535 });
  const rule = { id: "g", on: true, kind: "limit", measure: "gradient", side: "below", value: 5 };
  const rules = [rule, { ...rule, id: "f", measure: "fwhm" }];
  const moved = readRecord("projects", projectRecord, { ...project, version: 2, rules });
  expect(moved.ok && moved.value.rules).toEqual([{ ...rule, on: false }, rules[1]]);
});

test("records of version 3: a candidate is the rival, boxes are patches, transmission is starlight", () => {
  const patches = { key: "k", levels: [0.1, null] };
  const { rival: _r, patches: _p, ...old } = { ...sub("old", 0), version: 3 };
  expect(readRecord("subs", subRecord, { ...old, candidate: true, boxes: patches })).toEqual({
    ok: true,
    value: { ...sub("old", 0), rival: true, patches },
  });
  const { patches: _q, ...before } = { ...project, version: 3 };
  const rule = { id: "t", on: true, kind: "limit", side: "below", value: 5 };
  const patch = { id: "b", x: 5, y: 6, side: 20 };
  const moved = readRecord("projects", projectRecord, {
    ...before,
    boxes: [patch],
    columns: ["fwhm", "transmission", "boxGradient"],
    rules: [{ ...rule, measure: "transmission" }],
  });
  expect(moved.ok && moved.value).toMatchObject({
    version: RECORD_VERSION,
    patches: [patch],
    columns: ["fwhm", "starlight", "patchDifference"],
    rules: [{ ...rule, measure: "starlight" }],
  });
});

test("records of version 4: matrices become warps, of subs and of stacks", () => {
  const matrix = [0, -1, 30, 1, 0, -4];
  const warp = { kind: "similarity", matrix };
  const relation = { to: "r", value: { toReference: matrix, residualPx: 0.1, pairs: 9, scale: 1, offset: [] } };
  const read = readRecord("subs", subRecord, { ...sub("old", 0), version: 4, relation });
  expect(read.ok && read.value.relation).toEqual({
    to: "r",
    value: { ...relation.value, toReference: warp },
    transform: null,
  });
  const none = readRecord("subs", subRecord, { ...sub("old", 0), version: 4, relation: { to: "r", value: null } });
  expect(none.ok && none.value.relation).toEqual({ to: "r", value: null, transform: null });
  const { toProject: _, report, ...old } = stack("s");
  const listed = {
    id: "x",
    name: "x",
    used: true,
    reason: null,
    residualPx: 0,
    pairs: 9,
    scale: 1,
    weight: [1],
    half: "A",
    fwhmPx: 3,
    eccentricity: 0,
    stars: 9,
    background: [0],
    noise: [1],
    transform: matrix,
  };
  const moved = readRecord("stacks", stackRecord, {
    ...old,
    version: 4,
    toProject: [1, 0, 7, 0, 1, 0],
    report: { ...report, subs: [listed, { ...listed, transform: null }] },
  });
  if (!moved.ok) throw new Error(moved.reason.detail);
  expect(moved.value.toProject).toEqual({ kind: "shift", matrix: [1, 0, 7, 0, 1, 0] });
  expect(moved.value.report.subs.map(({ toReference }) => toReference)).toEqual([warp, null]);
});

test("records of version 5: patches of sky and stars left out become parameters, displays name their curve, in lanes, removed lanes and kept chains", () => {
  const patches = [{ id: "p", x: 5, y: 6, side: 20 }];
  const step = { operation: "noise.mixture", version: 1, channels: "together", blend: 1, on: true, mask: null };
  const old = { ...step, params: { strength: 1 }, sky: { patches, tellNoise: true }, dropped: [[1, 2]] };
  const now = { ...step, params: { strength: 1, skyPatches: { patches, forNoise: true }, droppedStars: [[1, 2]] } };
  const plain = { ...step, params: {}, sky: null, dropped: [] };
  const chain = { id: "c", version: 5, name: "kept", keptAt: 1, steps: [old, plain] };
  const read = readRecord("chains", chainRecord, chain);
  expect(read.ok && read.value.steps).toEqual([now, { ...step, params: {} }]);
  const lane = { id: "l", letter: "A", stackId: "s", steps: [{ ...old, id: "x" }], display: { sky: 0.3, black: 1 } };
  const board = {
    lanes: [lane],
    removed: [lane],
    spots: [],
    view: { zoom: 2, panX: 0, panY: 0 },
    display: { sky: 0.2, black: 3 },
    ladder: null,
    selectedLaneId: null,
  };
  const moved = readRecord("boards", boardRecord, { id: "b", projectId: "q", version: 5, board });
  if (!moved.ok) throw new Error(moved.reason.detail);
  for (const { steps } of [...moved.value.board.lanes, ...moved.value.board.removed])
    expect(steps).toEqual([{ ...now, id: "x" }]);
  expect(moved.value.board.display).toEqual({ curve: "arcsinh", params: { sky: 0.2, black: 3 } });
  expect(moved.value.board.lanes[0].display).toEqual({ curve: "arcsinh", params: { sky: 0.3, black: 1 } });
});

test("migrations are a list in order: each has its own name, one a store and version, and the last lead to today's", () => {
  const froms = MIGRATIONS.map(({ from }) => from);
  expect(froms).toEqual([...froms].sort((a, b) => a - b));
  expect(new Set(MIGRATIONS.map(({ name }) => name)).size).toBe(MIGRATIONS.length);
  expect(new Set(MIGRATIONS.map(({ store, from }) => `${store} ${from}`)).size).toBe(MIGRATIONS.length);
  expect(froms.at(-1)).toBe(RECORD_VERSION - 1);
});

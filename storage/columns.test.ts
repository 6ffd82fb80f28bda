import { fc } from "@/core/testing/properties";
import { packRecords, packedRecords, unpackRecords } from "./columns";

const plain = fc.letrec((tie) => ({
  value: fc.oneof(
    { maxDepth: 3 },
    fc.oneof(fc.double({ noNaN: true }), fc.string(), fc.boolean(), fc.constant(null)),
    fc.array(tie("value"), { maxLength: 3 }),
    fc.dictionary(fc.constantFrom("a", "b", "c"), tie("value")),
  ),
})).value;

test("records come back as they were, whatever their shapes", () => {
  fc.assert(
    fc.property(
      fc.array(fc.record({ id: fc.integer(), same: fc.constant("x"), any: plain }), { maxLength: 9 }),
      (records) => {
        const packed = packedRecords.parse(packRecords(records));
        expect(unpackRecords(packed)).toEqual(records);
      },
    ),
  );
});

test("what is common is kept once, numbers lie in typed arrays, and records share nothing", () => {
  const records = [3, 1, 2].map((v, i) => ({
    v,
    name: `n${i}`,
    measures: { noise: [v / 2, 7], unit: "ADU" },
    far: null,
  }));
  const { columns, count } = packRecords(records);
  expect(count).toBe(3);
  expect(columns.map(({ path }) => path.join("."))).toEqual(["v", "name", "measures.noise.0"]);
  expect(columns[0].values).toEqual(Float64Array.of(3, 1, 2));
  const back = unpackRecords(packRecords(records)) as typeof records;
  back[0].measures.noise[1] = 99;
  expect(back[1].measures.noise[1]).toBe(7);
});

test("thousands of frames take a small part of the room and time of as many records", () => {
  const frames = Array.from({ length: 3000 }, (_, i) => ({
    id: `f ${i}`,
    frame: i,
    measures: { background: [0.1 + i * 1e-6], noise: [0.01], trail: null, sharp: Math.sin(i) },
    metadata: { object: "Oru", camera: "Simulated camera", exposureS: 0.01, filter: "R", note: "x".repeat(200) },
  }));
  const packed = packRecords(frames);
  const bytes = packed.columns.reduce(
    (sum, { values }) => sum + (values instanceof Float64Array ? values.byteLength : JSON.stringify(values).length),
    JSON.stringify(packed.common).length,
  );
  expect(bytes).toBeLessThan(JSON.stringify(frames).length / 8);
  expect(unpackRecords(packed)[2999]).toEqual(frames[2999]);
});

import { labelPlaces } from "./labelPlaces";

test("a point by itself has its letter above at its right; points close together have theirs apart", () => {
  expect(labelPlaces([{ x: 50, y: 50 }])).toEqual([[6, -4]]);
  const points = [
    { x: 50, y: 50 },
    { x: 53, y: 51 },
    { x: 120, y: 20 },
  ];
  const places = labelPlaces(points);
  expect(places[2]).toEqual([6, -4]);
  const [first, second] = places.map(([dx, dy], k) => [points[k].x + dx, points[k].y + dy]);
  expect(Math.abs(first[0] - second[0]) >= 8 || Math.abs(first[1] - second[1]) >= 10).toBe(true);
});

test("a letter does not lie over another point; where no place is free it takes the first of the freest", () => {
  const beside = { x: 60, y: 42 };
  expect(labelPlaces([{ x: 50, y: 50 }, beside])[0]).not.toEqual([6, -4]);
  const crowd = Array.from({ length: 12 }, () => ({ x: 10, y: 10 }));
  expect(new Set(labelPlaces(crowd).slice(0, 4).map(String)).size).toBe(4);
});

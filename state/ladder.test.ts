import { affinityOf } from "./ladder";

test("crops of a lane and of the rungs of its ladder go to one worker; measures, other spots and other lanes to others", () => {
  const crop = affinityOf("lane", "spot");
  expect([affinityOf("lane#0", "spot"), affinityOf("lane#12", "spot")]).toEqual([crop, crop]);
  const others = [affinityOf("lane", "spot", "measures"), affinityOf("lane", "other"), affinityOf("lame", "spot")];
  expect(new Set([crop, ...others]).size).toBe(4);
});

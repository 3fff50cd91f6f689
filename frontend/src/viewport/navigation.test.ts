import * as THREE from "three";
import { describe, expect, it } from "vitest";
import { fitDistance, FlatPan, Orbit } from "./navigation";

describe("FlatPan", () => {
  it("keeps the texel under the pointer while zooming", () => {
    const pan = new FlatPan();
    pan.fit(400, 500);
    const before = pan.toTexel(130, 220, 2048);
    for (const factor of [1.5, 1.5, 0.4, 3]) pan.zoom(factor, 130, 220);
    const after = pan.toTexel(130, 220, 2048);
    expect(after[0]).toBeCloseTo(before[0], 6);
    expect(after[1]).toBeCloseTo(before[1], 6);
  });

  it("turns texels to pixels and back", () => {
    const pan = new FlatPan();
    pan.fit(300, 300);
    const [x, y] = pan.toPixel(100, 900, 1024);
    expect(pan.toTexel(x, y, 1024)[0]).toBeCloseTo(100, 9);
    expect(pan.toTexel(x, y, 1024)[1]).toBeCloseTo(900, 9);
  });

  it("centres the sheet", () => {
    const pan = new FlatPan();
    pan.fit(500, 300);
    const middle = pan.toTexel(250, 150, 1000);
    expect(middle[0]).toBeCloseTo(500);
    expect(middle[1]).toBeCloseTo(500);
  });
});

describe("Orbit", () => {
  const low = [-1, 0, -2];
  const high = [1, 3, 2];

  it("describes the camera it draws with", () => {
    const orbit = new Orbit();
    orbit.frame(low, high);
    const told = orbit.describe(640, 480);
    const eye = new THREE.Vector3(...told.eye);
    expect(eye.distanceTo(orbit.camera.position)).toBeCloseTo(0);
    expect(told.fov_deg).toBe(orbit.camera.fov);
    const centre = new THREE.Vector3(...told.target).project(orbit.camera);
    expect(centre.x).toBeCloseTo(0);
    expect(centre.y).toBeCloseTo(0);
  });

  it("frames every corner from any side", () => {
    const half = new THREE.Vector3(1, 1.5, 2);
    for (const yaw of [0, 0.5, 2, 4]) {
      for (const pitch of [-1.2, 0, 0.3, 1.4]) {
        const orbit = new Orbit();
        orbit.frame(low, high);
        orbit.look(yaw, pitch);
        expect(orbit.distance).toBeCloseTo(fitDistance(yaw, pitch, half, orbit.camera.fov));
        for (let i = 0; i < 8; i++) {
          const corner = new THREE.Vector3(i & 1 ? 1 : -1, i & 2 ? 3 : 0, i & 4 ? 2 : -2).project(orbit.camera);
          expect(Math.max(Math.abs(corner.x), Math.abs(corner.y))).toBeLessThanOrEqual(0.901);
        }
      }
    }
  });

  it("fits a narrow view, until somebody moves", () => {
    const orbit = new Orbit();
    orbit.frame(low, high);
    const square = orbit.distance;
    orbit.aspect(0.5);
    let widest = 0;
    for (let i = 0; i < 8; i++) {
      const corner = new THREE.Vector3(i & 1 ? 1 : -1, i & 2 ? 3 : 0, i & 4 ? 2 : -2).project(orbit.camera);
      widest = Math.max(widest, Math.abs(corner.x), Math.abs(corner.y));
    }
    expect(widest).toBeLessThanOrEqual(0.901);
    expect(widest).toBeGreaterThan(0.8);
    orbit.aspect(2);
    expect(orbit.distance).toBeCloseTo(square);
    // A side chosen before the view has its shape is framed as one chosen after.
    orbit.aspect(0.4);
    orbit.look(0, 0);
    orbit.aspect(2);
    const late = orbit.distance;
    orbit.look(0, 0);
    expect(orbit.distance).toBeCloseTo(late);
    orbit.frame(low, high);
    orbit.turn(5, 0);
    orbit.aspect(0.5);
    expect(orbit.distance).toBeCloseTo(square);
  });

  it("never turns over the top and moves with the hand", () => {
    const orbit = new Orbit();
    orbit.frame(low, high);
    orbit.turn(0, 10_000);
    expect(orbit.pitch).toBeLessThan(Math.PI / 2);
    orbit.look(0, 0);
    const before = orbit.target.clone();
    orbit.move(100, 0, 400);
    expect(orbit.target.x).toBeLessThan(before.x);
    expect(orbit.target.y).toBeCloseTo(before.y);
  });
});

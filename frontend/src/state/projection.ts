/** Where the handles of a picture lie, as the server lays pictures: right is the way across it. */
import * as THREE from "three";
import type { Projection } from "../api/types";

export type Place = [number, number, number];

/** Right and up of a picture before it is turned; up is as near to +Y as can be. */
function axes(projection: Projection): [THREE.Vector3, THREE.Vector3] {
  const n = projection.mode === "planar" ? new THREE.Vector3(...projection.facing).normalize() : new THREE.Vector3(0, 0, 1);
  const hint = Math.abs(n.y) < 0.95 ? new THREE.Vector3(0, 1, 0) : new THREE.Vector3(0, 0, n.y > 0 ? -1 : 1);
  const right = hint.cross(n).normalize();
  return [right, n.clone().cross(right)];
}

/** The middle of the right side of the repeat around the centre. */
export function edgeOf(projection: Projection, diagonal: number): Place {
  const [right, up] = axes(projection);
  const angle = (projection.turn * Math.PI) / 180;
  const way = right.multiplyScalar(Math.cos(angle)).addScaledVector(up, Math.sin(angle));
  return new THREE.Vector3(...projection.centre).addScaledVector(way, (projection.size * diagonal) / 2).toArray() as Place;
}

/** The projection whose edge is at a place: its size, and (from one direction) its turn. */
export function withEdge(projection: Projection, at: Place, diagonal: number): Projection {
  const from = new THREE.Vector3(...at).sub(new THREE.Vector3(...projection.centre));
  const [right, up] = axes(projection);
  const [across, along] = [from.dot(right), from.dot(up)];
  const length = projection.mode === "planar" ? Math.hypot(across, along) : from.length();
  const size = Math.min(100, Math.max(0.001, (2 * length) / diagonal));
  return projection.mode === "planar" ? { ...projection, size, turn: (Math.atan2(along, across) * 180) / Math.PI } : { ...projection, size };
}

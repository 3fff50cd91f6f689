/** Turning, moving and approaching in the 3D view; a pan and zoom for the flat sheet. */
import * as THREE from "three";
import type { Camera } from "../api/types";

export class Orbit {
  readonly camera = new THREE.PerspectiveCamera(34, 1, 0.01, 100);
  target = new THREE.Vector3();
  yaw = 0.5;
  pitch = 0.22;
  distance = 5;
  private size = 1;
  /** Half sides of what was framed, until somebody moves. */
  private framed: THREE.Vector3 | null = null;

  frame(low: number[], high: number[]): void {
    const a = new THREE.Vector3().fromArray(low);
    const b = new THREE.Vector3().fromArray(high);
    this.size = a.distanceTo(b) || 1;
    this.target.addVectors(a, b).multiplyScalar(0.5);
    this.yaw = 0.5;
    this.pitch = 0.22;
    this.framed = b.sub(a).multiplyScalar(0.5);
    this.refit();
  }

  private refit(): void {
    if (this.framed) this.distance = fitDistance(this.yaw, this.pitch, this.framed, this.camera.fov, this.camera.aspect);
    this.place();
  }

  turn(dx: number, dy: number): void {
    this.framed = null;
    this.yaw -= dx * 0.008;
    this.pitch = Math.max(-1.55, Math.min(1.55, this.pitch + dy * 0.008));
    this.place();
  }

  /** Look along an axis: right, left, front, back, top or below. What nobody has moved stays framed, whatever shape the view takes. */
  look(yaw: number, pitch: number): void {
    this.yaw = yaw;
    this.pitch = pitch;
    this.refit();
  }

  /** Look straight at a place of the surface from near by. */
  approachPlace(place: number[], normal: number[]): void {
    this.framed = null;
    this.target.fromArray(place);
    this.pitch = Math.max(-1.4, Math.min(1.4, Math.asin(Math.max(-1, Math.min(1, normal[1] ?? 0)))));
    this.yaw = Math.atan2(normal[0] ?? 0, normal[2] ?? 1);
    this.distance = this.size * 0.55;
    this.place();
  }

  move(dx: number, dy: number, height: number): void {
    this.framed = null;
    const unit = (2 * this.distance * Math.tan((this.camera.fov * Math.PI) / 360)) / height;
    const e = this.camera.matrix.elements;
    this.target.addScaledVector(new THREE.Vector3(e[0], e[1], e[2]), -dx * unit);
    this.target.addScaledVector(new THREE.Vector3(e[4], e[5], e[6]), dy * unit);
    this.place();
  }

  approach(factor: number): void {
    this.framed = null;
    this.distance = Math.max(this.size * 0.02, Math.min(this.size * 8, this.distance * factor));
    this.place();
  }

  aspect(value: number): void {
    if (this.camera.aspect === value) return;
    this.camera.aspect = value;
    this.refit();
  }

  private place(): void {
    const c = Math.cos(this.pitch);
    this.camera.position
      .set(Math.sin(this.yaw) * c, Math.sin(this.pitch), Math.cos(this.yaw) * c)
      .multiplyScalar(this.distance)
      .add(this.target);
    this.camera.near = Math.max(this.distance - this.size * 1.2, this.size * 0.002);
    this.camera.far = this.distance + this.size * 3;
    this.camera.lookAt(this.target);
    this.camera.updateMatrix();
    this.camera.updateMatrixWorld(true);
    this.camera.updateProjectionMatrix();
  }

  /** The view as the server needs it. */
  describe(width: number, height: number): Camera {
    const p = this.camera.position;
    const t = this.target;
    return { eye: [p.x, p.y, p.z], target: [t.x, t.y, t.z], up: [0, 1, 0], fov_deg: this.camera.fov, width, height };
  }
}

/** How far away a box of half sides fills nine tenths of a square view, or the width of a narrow one: the farthest demand of its eight corners. */
export function fitDistance(yaw: number, pitch: number, half: THREE.Vector3, fov: number, aspect = 1): number {
  const back = new THREE.Vector3(Math.sin(yaw) * Math.cos(pitch), Math.sin(pitch), Math.cos(yaw) * Math.cos(pitch));
  const right = new THREE.Vector3(Math.cos(yaw), 0, -Math.sin(yaw));
  const up = back.clone().cross(right);
  const slope = 0.9 * Math.tan((fov * Math.PI) / 360);
  let distance = 0;
  for (let i = 0; i < 8; i++) {
    const corner = new THREE.Vector3(i & 1 ? half.x : -half.x, i & 2 ? half.y : -half.y, i & 4 ? half.z : -half.z);
    distance = Math.max(distance, Math.max(Math.abs(corner.dot(up)), Math.abs(corner.dot(right)) / Math.min(aspect, 1)) / slope + corner.dot(back));
  }
  return distance || 1;
}

/** The flat sheet's place in its view. `scale`: pixels a sheet's side. */
export class FlatPan {
  x = 0;
  y = 0;
  scale = 0;

  fit(width: number, height: number): void {
    this.scale = Math.max(64, Math.min(width, height) - 36);
    this.x = (width - this.scale) / 2;
    this.y = (height - this.scale) / 2;
  }

  zoom(factor: number, px: number, py: number): void {
    const next = Math.max(60, Math.min(200_000, this.scale * factor));
    this.x = px - ((px - this.x) * next) / this.scale;
    this.y = py - ((py - this.y) * next) / this.scale;
    this.scale = next;
  }

  /** A place of the sheet (0–1) in the middle, so near that a tenth of the sheet fills a third of the view. */
  goTo(u: number, v: number, width: number, height: number): void {
    this.scale = Math.max(64, Math.min(width, height) - 36) * 3;
    this.x = width / 2 - u * this.scale;
    this.y = height / 2 - v * this.scale;
  }

  toTexel(px: number, py: number, side: number): [number, number] {
    return [((px - this.x) / this.scale) * side, ((py - this.y) / this.scale) * side];
  }

  toPixel(tx: number, ty: number, side: number): [number, number] {
    return [this.x + (tx / side) * this.scale, this.y + (ty / side) * this.scale];
  }
}

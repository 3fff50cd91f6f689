/** The model unfolded into its layout: from the solid to the flat squares, with what is stretched or mirrored marked. */
import * as THREE from "three";
import type { SheetObjects } from "./sheetObjects";

/** Where the flat squares lie: their middle, and the ways right, up and towards the eye, each as long as a square's side. */
export interface FlatPlace {
  middle: THREE.Vector3;
  right: THREE.Vector3;
  up: THREE.Vector3;
}

/** Squares face the eye as it looks when unfolding begins, so that they are seen whole. */
export function flatPlace(camera: THREE.Camera, middle: THREE.Vector3, size: number): FlatPlace {
  const right = new THREE.Vector3().setFromMatrixColumn(camera.matrixWorld, 0).multiplyScalar(size);
  const up = new THREE.Vector3().setFromMatrixColumn(camera.matrixWorld, 1).multiplyScalar(size);
  return { middle, right, up };
}

/** Rows of a sheet are position 3, normal 3, tangent 4, UV 2 (v down). */
const ROW = 12;

/** Move a sheet's vertices a share of the way to its square, the `column`-th of `columns`; 0 is the solid again. */
export function unfoldTo(s: SheetObjects, share: number, to: FlatPlace, column: number, columns: number): void {
  const attribute = s.mesh.geometry.getAttribute("position") as THREE.InterleavedBufferAttribute;
  const rows = attribute.data.array as Float32Array;
  if (!s.solid) {
    s.solid = rows.slice();
    const home = new Float32Array((rows.length / ROW) * 3);
    for (let i = 0; i < rows.length / ROW; i++) home.set(rows.subarray(ROW * i, ROW * i + 3), 3 * i);
    s.mesh.geometry.setAttribute("home", new THREE.BufferAttribute(home, 3));
  }
  const { middle, right, up } = to;
  const facing = right.clone().cross(up).normalize().toArray();
  const [shift, solid] = [1.05 * (column - (columns - 1) / 2), s.solid];
  const axes = [right.toArray(), up.toArray(), middle.toArray()] as const;
  for (let i = 0; i < rows.length; i += ROW) {
    const u = (solid[i + 10] ?? 0) - 0.5 + shift;
    const v = 0.5 - (solid[i + 11] ?? 0);
    for (let k = 0; k < 3; k++) {
      const flat = (axes[2][k] ?? 0) + (axes[0][k] ?? 0) * u + (axes[1][k] ?? 0) * v;
      rows[i + k] = (solid[i + k] ?? 0) * (1 - share) + flat * share;
      rows[i + 3 + k] = (solid[i + 3 + k] ?? 0) * (1 - share) + (facing[k] ?? 0) * share;
    }
  }
  attribute.data.needsUpdate = true;
  s.mesh.geometry.computeBoundingSphere();
}

/** Squares of the layout; amber where they are stretched on the surface, hatched in red where they lie mirrored. */
export class LayoutMaterial extends THREE.ShaderMaterial {
  constructor() {
    super({
      vertexShader: `
        attribute vec3 home;
        varying vec2 vUv; varying vec3 vHome; varying vec3 vN;
        void main() {
          vUv = uv; vHome = home; vN = normalize(normalMatrix * normal);
          gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
        }`,
      fragmentShader: `
        varying vec2 vUv; varying vec3 vHome; varying vec3 vN;
        void main() {
          vec2 ux = dFdx(vUv), uy = dFdy(vUv);
          vec3 px = dFdx(vHome), py = dFdy(vHome);
          float det = ux.x * uy.y - uy.x * ux.y;
          // How the surface runs along u and v, whatever it looks like from here.
          vec3 alongU = (px * uy.y - py * ux.y) / det, alongV = (py * ux.x - px * uy.x) / det;
          float a = dot(alongU, alongU), b = dot(alongU, alongV), c = dot(alongV, alongV);
          float mean = 0.5 * (a + c), off = sqrt(max(0.25 * (a - c) * (a - c) + b * b, 0.0));
          float stretch = 0.5 * log2((mean + off) / max(mean - off, 1e-12 * mean));
          vec2 cell = fract(vUv * 8.0) - 0.5;
          vec3 colour = cell.x * cell.y > 0.0 ? vec3(0.62) : vec3(0.46);
          colour = mix(colour, vec3(0.93, 0.62, 0.16), clamp((stretch - 0.4) / 1.6, 0.0, 1.0) * 0.85);
          // v runs down, so a layout that is seen from its front turns to the right.
          bool mirrored = (det > 0.0) == gl_FrontFacing;
          if (mirrored && fract((gl_FragCoord.x + gl_FragCoord.y) / 9.0) < 0.5) colour = vec3(0.8, 0.22, 0.18);
          gl_FragColor = vec4(colour * (0.62 + 0.38 * abs(vN.z)), 1.0);
        }`,
      side: THREE.DoubleSide,
      toneMapped: false,
    });
  }
}

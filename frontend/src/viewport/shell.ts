/** The space that a bake searches: the model grown and shrunk along its averaged normals, as rays see it. */
import * as THREE from "three";

export interface Shell {
  /** Object units outside and inside the surface. */
  front: number;
  back: number;
}

/** Beyond this many triangles averaging normals would make the window wait. */
const MOST_TRIANGLES = 600_000;

/** Unit normals averaged by angle over everything that meets at a place, so that the shell has no gaps at creases. */
export function averagedNormals(positions: ArrayLike<number>, stride: number, count: number, indices: ArrayLike<number>): Float32Array {
  const place = new Int32Array(count);
  const known = new Map<string, number>();
  for (let i = 0; i < count; i++) {
    const key = `${positions[i * stride]},${positions[i * stride + 1]},${positions[i * stride + 2]}`;
    let at = known.get(key);
    if (at === undefined) known.set(key, (at = known.size));
    place[i] = at;
  }
  const sums = new Float64Array(known.size * 3);
  const p = [new THREE.Vector3(), new THREE.Vector3(), new THREE.Vector3()] as const;
  for (let t = 0; t + 2 < indices.length; t += 3) {
    for (const k of [0, 1, 2] as const) {
      const at = (indices[t + k] ?? 0) * stride;
      p[k].set(positions[at] ?? 0, positions[at + 1] ?? 0, positions[at + 2] ?? 0);
    }
    const normal = p[1].clone().sub(p[0]).cross(p[2].clone().sub(p[0]));
    if (normal.lengthSq() === 0) continue;
    normal.normalize();
    for (const k of [0, 1, 2] as const) {
      const a = p[(k + 1) % 3]?.clone().sub(p[k]);
      const b = p[(k + 2) % 3]?.clone().sub(p[k]);
      const angle = a && b ? a.angleTo(b) : 0;
      const row = (place[indices[t + k] ?? 0] ?? 0) * 3;
      sums[row] = (sums[row] ?? 0) + normal.x * angle;
      sums[row + 1] = (sums[row + 1] ?? 0) + normal.y * angle;
      sums[row + 2] = (sums[row + 2] ?? 0) + normal.z * angle;
    }
  }
  const out = new Float32Array(count * 3);
  for (let i = 0; i < count; i++) {
    const row = (place[i] ?? 0) * 3;
    const x = sums[row] ?? 0;
    const y = sums[row + 1] ?? 0;
    const z = sums[row + 2] ?? 0;
    const length = Math.hypot(x, y, z) || 1;
    out.set([x / length, y / length, z / length], i * 3);
  }
  return out;
}

function material(colour: number, opacity: number): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    uniforms: { offset: { value: 0 }, colour: { value: new THREE.Color(colour) }, opacity: { value: opacity } },
    vertexShader: `
      attribute vec3 cage; uniform float offset; varying vec3 vN; varying vec3 vP;
      void main() {
        vec4 p = modelViewMatrix * vec4(position + cage * offset, 1.0);
        vN = normalize(normalMatrix * cage); vP = normalize(-p.xyz);
        gl_Position = projectionMatrix * p;
      }`,
    fragmentShader: `
      uniform vec3 colour; uniform float opacity; varying vec3 vN; varying vec3 vP;
      void main() { gl_FragColor = vec4(colour, opacity * (0.35 + 0.65 * (1.0 - abs(dot(normalize(vN), vP))))); }`,
    transparent: true,
    depthWrite: false,
    toneMapped: false,
    side: THREE.FrontSide,
  });
}

/** Outer and inner shell of one sheet's surface, or null where it is too large to average. */
export function shellMeshes(geometry: THREE.BufferGeometry, indices: Uint32Array): [THREE.Mesh, THREE.Mesh] | null {
  if (indices.length / 3 > MOST_TRIANGLES) return null;
  const position = geometry.getAttribute("position") as THREE.InterleavedBufferAttribute;
  const cage = averagedNormals(position.data.array, position.data.stride, position.count, indices);
  const made = new THREE.BufferGeometry();
  made.setAttribute("position", position);
  made.setAttribute("cage", new THREE.BufferAttribute(cage, 3));
  made.setIndex(new THREE.BufferAttribute(indices, 1));
  const outer = new THREE.Mesh(made, material(0xf2f2f2, 0.5));
  const inner = new THREE.Mesh(made, material(0x101010, 0.5));
  (inner.material as THREE.ShaderMaterial).depthTest = false;
  outer.renderOrder = inner.renderOrder = 3;
  outer.frustumCulled = inner.frustumCulled = false;
  return [outer, inner];
}

export function place([outer, inner]: [THREE.Mesh, THREE.Mesh], shell: Shell): void {
  for (const [mesh, offset] of [[outer, shell.front], [inner, -shell.back]] as const) {
    const uniform = (mesh.material as THREE.ShaderMaterial).uniforms.offset;
    if (uniform) uniform.value = offset;
  }
}

/** What the views draw of a sheet, or of vertex paint: made once from the triangles the server sends. */
import * as THREE from "three";
import type { Block, SheetGeometry } from "../api/types";
import { ChannelMaterial } from "./materials";
import type { SheetTextures } from "./textures";

export interface SheetObjects {
  info: SheetGeometry;
  mesh: THREE.Mesh;
  flat: THREE.Mesh;
  lines: THREE.LineSegments;
  seams: THREE.LineSegments;
  lit: THREE.MeshStandardMaterial;
  channel: ChannelMaterial;
  flatChannel: ChannelMaterial;
  textures: SheetTextures | null;
  allIndices: Uint32Array;
  faces: Uint32Array;
  /** What its rows were before it was unfolded; null as long as it was not. */
  solid: Float32Array | null;
  /** Faces that do not show, as they were told last. */
  away: ReadonlySet<number> | null;
  /** Which of its parts show, by where they begin. */
  shown: string;
}

type Arrays = ReturnType<typeof arraysOf>;

function arraysOf(info: SheetGeometry, bytes: Uint8Array) {
  const cut = (b: Block): ArrayBuffer => bytes.slice(b.offset, b.offset + b.length).buffer as ArrayBuffer;
  return {
    rows: new THREE.InterleavedBuffer(new Float32Array(cut(info.vertices)), info.of === "vertices" ? 6 : 12),
    indices: new Uint32Array(cut(info.indices)),
    faces: new Uint32Array(cut(info.faces)),
    lines: new Float32Array(cut(info.lines)),
    seams: new Float32Array(cut(info.seams)),
    colours: new Float32Array(cut(info.colours)),
  };
}

export function sheetObjects(info: SheetGeometry, bytes: Uint8Array): SheetObjects {
  const arrays = arraysOf(info, bytes);
  const vertices = info.of === "vertices";
  const flatChannel = new ChannelMaterial(info.squares.length > 0);
  const mesh = new THREE.Mesh(
    solidGeometry(arrays, vertices),
    new THREE.MeshStandardMaterial({ color: 0x8c8c8c, roughness: 0.7, side: THREE.DoubleSide }),
  );
  mesh.castShadow = mesh.receiveShadow = true;
  const entry: SheetObjects = {
    info,
    mesh,
    // Vertices have no layout to be laid flat by.
    flat: vertices ? new THREE.Mesh(new THREE.BufferGeometry(), flatChannel) : flatMesh(flatGeometry(arrays), flatChannel, info.squares),
    lines: lineObject(arrays.lines, 0.13),
    seams: lineObject(arrays.seams, 0.6),
    lit: mesh.material,
    channel: new ChannelMaterial(false, vertices),
    flatChannel,
    textures: null,
    allIndices: arrays.indices,
    faces: arrays.faces,
    solid: null,
    away: null,
    shown: info.parts.map((r) => r.first).join(),
  };
  entry.flat.frustumCulled = entry.lines.frustumCulled = entry.seams.frustumCulled = false;
  entry.lines.renderOrder = 1;
  entry.seams.renderOrder = 2;
  return entry;
}

function solidGeometry({ rows, indices, colours }: Arrays, vertices: boolean): THREE.BufferGeometry {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.InterleavedBufferAttribute(rows, 3, 0));
  geometry.setAttribute("normal", new THREE.InterleavedBufferAttribute(rows, 3, 3));
  if (!vertices) {
    geometry.setAttribute("tangent", new THREE.InterleavedBufferAttribute(rows, 4, 6));
    geometry.setAttribute("uv", new THREE.InterleavedBufferAttribute(rows, 2, 10));
  }
  if (colours.length) geometry.setAttribute("color", new THREE.BufferAttribute(colours, 4));
  geometry.setIndex(new THREE.BufferAttribute(indices, 1));
  geometry.computeBoundsTree?.({ indirect: true });
  return geometry;
}

function flatGeometry({ rows, indices }: Arrays): THREE.BufferGeometry {
  const flat = new THREE.BufferGeometry();
  const places = new Float32Array(rows.count * 3);
  for (let i = 0; i < rows.count; i++) {
    places[3 * i] = rows.array[12 * i + 10] ?? 0;
    places[3 * i + 1] = rows.array[12 * i + 11] ?? 0;
  }
  flat.setAttribute("position", new THREE.BufferAttribute(places, 3));
  flat.setAttribute("normal", new THREE.InterleavedBufferAttribute(rows, 3, 3));
  flat.setAttribute("uv", new THREE.InterleavedBufferAttribute(rows, 2, 10));
  flat.setIndex(new THREE.BufferAttribute(indices, 1));
  return flat;
}

/** A sheet laid flat; one whose layout repeats is laid down once for each square that it reaches into. */
function flatMesh(geometry: THREE.BufferGeometry, material: THREE.Material, squares: SheetGeometry["squares"]): THREE.Mesh {
  if (!squares.length) return new THREE.Mesh(geometry, material);
  const mesh = new THREE.InstancedMesh(geometry, material, squares.length);
  squares.forEach(([x, y], i) => mesh.setMatrixAt(i, new THREE.Matrix4().makeTranslation(x, y, 0)));
  return mesh;
}

function lineObject(uv: Float32Array, opacity: number): THREE.LineSegments {
  const places = new Float32Array((uv.length / 2) * 3);
  for (let i = 0; i < uv.length / 2; i++) {
    places[3 * i] = uv[2 * i] ?? 0;
    places[3 * i + 1] = 1 - (uv[2 * i + 1] ?? 0);
    places[3 * i + 2] = 1;
  }
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.BufferAttribute(places, 3));
  return new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ color: 0xe6e6e6, transparent: true, opacity, toneMapped: false }));
}

/** Corners of the triangles of some runs of parts whose faces are not hidden. */
export function withoutFaces(s: SheetObjects, runs: SheetGeometry["parts"], hidden: ReadonlySet<number>): Uint32Array {
  const kept = new Uint32Array(runs.reduce((n, r) => n + r.count * 3, 0));
  let at = 0;
  for (const r of runs)
    for (let t = r.first; t < r.first + r.count; t++)
      if (!hidden.has(s.faces[t] ?? -1)) for (let k = 0; k < 3; k++) kept[at++] = s.allIndices[3 * t + k] ?? 0;
  return kept.slice(0, at);
}

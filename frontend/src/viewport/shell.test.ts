/** The search shell leaves a cube along its corners' diagonals, however its faces are cut. */
import { expect, test } from "vitest";
import { averagedNormals } from "./shell";

test("a cube's corners lean equally to their three faces", () => {
  // Eight corners, each three times (one for each face), and two triangles a face.
  const corners = [0, 1, 2, 3, 4, 5, 6, 7].map((i) => [i & 1 ? 1 : -1, i & 2 ? 1 : -1, i & 4 ? 1 : -1]);
  const faces = [[0, 4, 6, 2], [1, 3, 7, 5], [0, 1, 5, 4], [2, 6, 7, 3], [0, 2, 3, 1], [4, 5, 7, 6]];
  const positions: number[] = [];
  const indices: number[] = [];
  for (const face of faces) {
    const first = positions.length / 3;
    for (const c of face) positions.push(...(corners[c] ?? []));
    indices.push(first, first + 1, first + 2, first, first + 2, first + 3);
  }
  const normals = averagedNormals(positions, 3, positions.length / 3, indices);
  const share = 1 / Math.sqrt(3);
  for (let i = 0; i < positions.length; i++) expect(normals[i]).toBeCloseTo((positions[i] ?? 0) * share, 5);
});

test("faces without area and lone vertices do no harm", () => {
  const normals = averagedNormals([0, 0, 0, 0, 0, 0, 0, 0, 0, 5, 5, 5], 3, 4, [0, 1, 2]);
  expect([...normals]).toEqual(new Array(12).fill(0));
});

/** Where the rays of a bake start and end, as the server works them out: two translucent shells around a sheet's surface. */
import * as THREE from "three";

export type Shell = [THREE.Mesh, THREE.Mesh];

function material(colour: number, opacity: number): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    uniforms: { colour: { value: new THREE.Color(colour) }, opacity: { value: opacity } },
    vertexShader: `
      varying vec3 vP;
      void main() { vec4 p = modelViewMatrix * vec4(position, 1.0); vP = p.xyz; gl_Position = projectionMatrix * p; }`,
    fragmentShader: `
      uniform vec3 colour; uniform float opacity; varying vec3 vP;
      void main() {
        vec3 n = normalize(cross(dFdx(vP), dFdy(vP)));
        gl_FragColor = vec4(colour, opacity * (0.35 + 0.65 * (1.0 - abs(dot(n, normalize(vP))))));
      }`,
    transparent: true,
    depthWrite: false,
    toneMapped: false,
    side: THREE.FrontSide,
  });
}

function mesh(places: Float32Array, colour: number): THREE.Mesh {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.BufferAttribute(places, 3));
  const made = new THREE.Mesh(geometry, material(colour, 0.5));
  made.renderOrder = 3;
  made.frustumCulled = false;
  return made;
}

/** Outer and inner shell from their triangles, nine numbers each. */
export function shellMeshes(outer: Float32Array, inner: Float32Array): Shell {
  const made: Shell = [mesh(outer, 0xf2f2f2), mesh(inner, 0x101010)];
  (made[1].material as THREE.ShaderMaterial).depthTest = false;
  return made;
}

export function discard(shell: Shell): void {
  for (const made of shell) {
    made.removeFromParent();
    made.geometry.dispose();
    (made.material as THREE.Material).dispose();
  }
}

/** Vertex paint as materials show it: each vertex reads its own value, and the card interpolates between them in linear light. */
import * as THREE from "three";
import type { NamedTextures } from "./textures";

/** Where a vertex's value lies in a texture of chunks, each 256 × 256 row by row. */
export const VERTEX_PLACE = `
  uniform int across;
  ivec2 vertexPlace() {
    int chunk = gl_VertexID >> 16;
    return ivec2((chunk % across) * 256 + (gl_VertexID & 255), (chunk / across) * 256 + ((gl_VertexID >> 8) & 255));
  }`;

/** Eight bits hold how far relief leans a normal: 128 is not at all, 255 is by 1. */
const LEAN = "(texelFetch(vertexNormal, at, 0).xyz * 255.0 - 128.0) / 127.0";

export interface VertexUniforms {
  across: THREE.IUniform<number>;
  vertexColour: THREE.IUniform<THREE.Texture | null>;
  vertexData: THREE.IUniform<THREE.Texture | null>;
  vertexNormal: THREE.IUniform<THREE.Texture | null>;
  vertexGlow: THREE.IUniform<THREE.Texture | null>;
  glows: THREE.IUniform<number>;
}

/** How many chunks lie side by side in textures of this side. */
export const chunksAcross = (side: number): number => Math.max(1, side / 256);

/** The lit look; `over`: the uniforms that lay a mask over it, and the colour it is laid in. */
export function litVertexMaterial(textures: NamedTextures, over: Record<string, THREE.IUniform>, overColour: string): THREE.MeshStandardMaterial {
  const uniforms: VertexUniforms = {
    across: { value: chunksAcross(textures.side) },
    vertexColour: { value: textures.get("colour").texture },
    vertexData: { value: textures.get("data").texture },
    vertexNormal: { value: textures.get("normal").texture },
    vertexGlow: { value: null },
    glows: { value: 0 },
  };
  const material = new THREE.MeshStandardMaterial({ roughness: 1, metalness: 1, side: THREE.DoubleSide });
  material.userData = { over, vertices: uniforms };
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, uniforms, over);
    const varyings = "varying vec4 vPaint; varying vec4 vData; varying vec3 vGlow; varying float vOver;";
    shader.vertexShader = `${varyings}
      uniform sampler2D vertexColour; uniform sampler2D vertexData; uniform sampler2D vertexNormal; uniform sampler2D vertexGlow;
      uniform sampler2D over; uniform float glows; uniform float covered; ${VERTEX_PLACE}
      ${shader.vertexShader}`.replace(
      "#include <beginnormal_vertex>",
      `ivec2 at = vertexPlace();
      vPaint = texelFetch(vertexColour, at, 0);
      vData = texelFetch(vertexData, at, 0);
      vGlow = glows > 0.5 ? texelFetch(vertexGlow, at, 0).rgb : vec3(0.0);
      vOver = covered > 0.5 ? texelFetch(over, at, 0).r : 0.0;
      vec3 objectNormal = normal + ${LEAN};`,
    );
    shader.fragmentShader = `${varyings} uniform float covered;\n${shader.fragmentShader}`
      .replace("#include <map_fragment>", "diffuseColor *= vPaint;")
      .replace("#include <roughnessmap_fragment>", "float roughnessFactor = roughness * vData.g;")
      .replace("#include <metalnessmap_fragment>", "float metalnessFactor = metalness * vData.b;")
      .replace("#include <emissivemap_fragment>", "totalEmissiveRadiance += vGlow;")
      .replace("#include <aomap_fragment>", "reflectedLight.indirectDiffuse *= vData.r; reflectedLight.indirectSpecular *= vData.r;")
      .replace(
        "#include <dithering_fragment>",
        `#include <dithering_fragment>
        if (covered > 0.5) gl_FragColor.rgb = mix(gl_FragColor.rgb, ${overColour}, 0.8 * pow(vOver, 0.4545));`,
      );
  };
  return material;
}

/** How surfaces look: lit, one channel, flat colour. */
import * as THREE from "three";
import { SUSPECTS } from "../state/textureNames";
import type { NamedTextures } from "./textures";
import { chunksAcross, litVertexMaterial, VERTEX_PLACE } from "./vertexMaterials";
import { PACKED, textureOf } from "../state/textureNames";

/** Where the mask that is looked at reveals, in a violet that few paints have. */
const OVER = "vec3(0.52, 0.33, 1.0)";

/** Shows texels as they are, on the surface or on the flat sheet. */
export class ChannelMaterial extends THREE.ShaderMaterial {
  /** `cut`: shows only what lies in the unit square, for a repeating layout laid flat; `vertices`: values lie on vertices, not in texels. */
  constructor(cut = false, vertices = false) {
    super({
      defines: { ...(cut ? { CUT: 1 } : {}), ...(vertices ? { VERTICES: 1 } : {}) },
      uniforms: {
        map: { value: null },
        marks: { value: null },
        marked: { value: 0 },
        first: { value: 0 },
        count: { value: 3 },
        shade: { value: 0 },
        over: { value: null },
        covered: { value: 0 },
        across: { value: 1 },
      },
      vertexShader: `
        varying vec2 vUv; varying vec3 vN;
        #ifdef VERTICES
          uniform sampler2D map; uniform sampler2D marks; uniform sampler2D over; uniform float marked; uniform float covered;
          varying vec4 vMap; varying float vOver; flat varying float vBits;
          ${VERTEX_PLACE}
        #endif
        #ifdef CUT
          varying vec2 vPlace;
        #endif
        #ifdef TINT
          attribute vec4 color; varying vec3 vTint;
        #endif
        void main() {
          vec4 place = vec4(position, 1.0);
          #ifdef USE_INSTANCING
            place = instanceMatrix * place;
          #endif
          #ifdef CUT
            vPlace = place.xy;
          #endif
          #ifdef TINT
            vTint = color.rgb;
          #endif
          #ifdef VERTICES
            ivec2 at = vertexPlace();
            vMap = texelFetch(map, at, 0);
            vOver = covered > 0.5 ? texelFetch(over, at, 0).r : 0.0;
            vBits = marked > 0.5 ? floor(texelFetch(marks, at, 0).r * 255.0 + 0.5) : 0.0;
          #endif
          vUv = uv; vN = normalize(normalMatrix * normal);
          gl_Position = projectionMatrix * modelViewMatrix * place;
        }`,
      fragmentShader: `
        uniform sampler2D map; uniform sampler2D marks; uniform float marked; uniform int first; uniform int count; uniform float shade;
        uniform sampler2D over; uniform float covered;
        varying vec2 vUv; varying vec3 vN;
        #ifdef VERTICES
          varying vec4 vMap; varying float vOver; flat varying float vBits;
        #endif
        #ifdef CUT
          varying vec2 vPlace;
        #endif
        #ifdef TINT
          varying vec3 vTint;
        #endif
        void main() {
          #ifdef CUT
            if (any(greaterThan(abs(vPlace - 0.5), vec2(0.5)))) discard;
          #endif
          #ifdef VERTICES
            vec4 t = vMap;
            float seen = vOver;
          #else
            vec4 t = texture2D(map, vUv);
            float seen = texture2D(over, vUv).r;
          #endif
          vec3 c = count == 3 ? t.rgb : vec3(first == 0 ? t.r : first == 1 ? t.g : first == 2 ? t.b : t.a);
          #ifdef TINT
            c *= vTint;
          #endif
          c *= mix(1.0, 0.72 + 0.28 * abs(vN.z), shade);
          gl_FragColor = vec4(c, 1.0);
          #ifdef SRGB_MAP
            #include <colorspace_fragment>
          #endif
          if (covered > 0.5) gl_FragColor.rgb = mix(gl_FragColor.rgb, ${OVER}, 0.8 * pow(seen, 0.4545));
          if (marked > 0.5) {
            // Red: met nothing. Amber: met another part. Violet: at the far limit.
            // The strongest reason near the pixel: single texels must show from afar too.
            float bits = 0.0;
            #ifdef VERTICES
              bits = vBits;
            #else
            vec2 step = max(fwidth(vUv) * 0.5, vec2(0.0));
            for (int y = -2; y <= 2; y++) for (int x = -2; x <= 2; x++) bits = max(bits, floor(texture2D(marks, vUv + step * vec2(float(x), float(y))).r * 255.0 + 0.5));
            #endif
            vec3 why = mod(bits, 2.0) >= 1.0 ? vec3(0.86, 0.24, 0.2) : mod(bits, 4.0) >= 2.0 ? vec3(0.95, 0.68, 0.18) : vec3(0.58, 0.4, 0.9);
            if (bits > 0.5) gl_FragColor = vec4(mix(gl_FragColor.rgb, why, 0.82), 1.0);
          }
        }`,
      side: THREE.DoubleSide,
      toneMapped: false,
    });
  }

  show(textures: NamedTextures, channel: string, shade: boolean, suspects: boolean, over: string | null): void {
    const [name, first, count] = PACKED[channel] ?? [`channel:${channel}`, 0, 3];
    const texture = textures.get(name).texture;
    const srgb = texture.colorSpace === THREE.SRGBColorSpace && count === 3;
    const u = this.uniforms as Record<string, THREE.IUniform>;
    (u.across as THREE.IUniform).value = chunksAcross(textures.side);
    (u.map as THREE.IUniform).value = texture;
    (u.first as THREE.IUniform).value = first;
    (u.count as THREE.IUniform).value = count;
    (u.shade as THREE.IUniform).value = shade ? 1 : 0;
    (u.marks as THREE.IUniform).value = suspects ? textures.get(SUSPECTS).texture : null;
    (u.marked as THREE.IUniform).value = suspects ? 1 : 0;
    (u.over as THREE.IUniform).value = over ? textures.get(textureOf(over)).texture : null;
    (u.covered as THREE.IUniform).value = over ? 1 : 0;
    this.define("SRGB_MAP", srgb);
  }

  /** Whether vertex colours multiply what is shown. */
  tint(on: boolean): void {
    this.define("TINT", on);
  }

  private define(name: string, on: boolean): void {
    if (name in this.defines === on) return;
    const others = Object.entries(this.defines as Record<string, unknown>).filter(([key]) => key !== name);
    this.defines = Object.fromEntries(on ? [...others, [name, 1]] : others);
    this.needsUpdate = true;
  }
}

/** The uniforms of a lit material that lay a mask over it. */
export interface OverUniforms {
  over: THREE.IUniform<THREE.Texture | null>;
  covered: THREE.IUniform<number>;
}

export function litMaterial(textures: NamedTextures, vertices = false): THREE.MeshStandardMaterial {
  const data = textures.get("data").texture;
  const uniforms: OverUniforms = { over: { value: null }, covered: { value: 0 } };
  if (vertices) return litVertexMaterial(textures, { ...uniforms }, OVER);
  const material = new THREE.MeshStandardMaterial({
    map: textures.get("colour").texture,
    roughnessMap: data,
    metalnessMap: data,
    aoMap: data,
    normalMap: textures.get("normal").texture,
    roughness: 1,
    metalness: 1,
    side: THREE.DoubleSide,
  });
  material.userData.over = uniforms;
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, uniforms);
    shader.fragmentShader = `uniform sampler2D over; uniform float covered;\n${shader.fragmentShader}`
      .replace(
        "#include <dithering_fragment>",
        `#include <dithering_fragment>
      if (covered > 0.5) gl_FragColor.rgb = mix(gl_FragColor.rgb, ${OVER}, 0.8 * pow(texture2D(over, vMapUv).r, 0.4545));`,
      )
      .replace("#include <normal_fragment_begin>", decoding());
  };
  return material;
}

/** Normal maps decode as they are baked: tangent, bitangent of the pixel and normal as interpolated, none of unit length (Mikkelsen 2008). */
function decoding(): string {
  const usual = "mat3 tbn = mat3( normalize( vTangent ), normalize( vBitangent ), normal );";
  const chunk = THREE.ShaderChunk.normal_fragment_begin;
  if (!chunk.includes(usual)) throw new Error("three.js builds its tangent frame in another way now; materials.ts has to follow.");
  return chunk.replace(
    usual,
    `vec3 across = cross(vNormal, vTangent);
    mat3 tbn = mat3(vTangent, dot(across, vBitangent) < 0.0 ? -across : across, vNormal * (dot(normal, vNormal) < 0.0 ? -1.0 : 1.0));`,
  );
}

/** A plain studio to reflect: pale above, darker below, a soft key card, a strip and a top card. */
export function studioScene(): THREE.Scene {
  const scene = new THREE.Scene();
  const room = new THREE.Mesh(
    new THREE.SphereGeometry(10, 24, 16),
    new THREE.ShaderMaterial({
      side: THREE.BackSide,
      vertexShader:
        "varying vec3 vP; void main() { vP = normalize(position); gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }",
      fragmentShader: "varying vec3 vP; void main() { gl_FragColor = vec4(vec3(mix(0.10, 0.42, smoothstep(-0.7, 0.9, vP.y))), 1.0); }",
    }),
  );
  scene.add(room);
  const card = (x: number, y: number, z: number, w: number, h: number, light: number): void => {
    const mesh = new THREE.Mesh(
      new THREE.PlaneGeometry(w, h),
      new THREE.MeshBasicMaterial({ color: new THREE.Color(light, light, light), side: THREE.DoubleSide }),
    );
    mesh.position.set(x, y, z);
    mesh.lookAt(0, 0, 0);
    scene.add(mesh);
  };
  card(-5, 5, 5, 5, 4, 5);
  card(8, 1, 2.5, 1.2, 7, 4);
  card(1, 8, 1, 5, 4, 2.2);
  card(-8, 0, 2, 2, 5, 1.2);
  card(3, 3, -7, 5, 3, 2.2);
  return scene;
}

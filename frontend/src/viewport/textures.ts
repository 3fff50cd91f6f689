/** A sheet's display textures on the graphics card, changed by rectangles. */
import * as THREE from "three";
import { SUSPECTS } from "../state/textureNames";

export const CHUNK = 256;

/** One texture, allocated once, then written in rectangles; mip levels are made anew once a frame. */
export class PatchedTexture {
  readonly texture: THREE.DataTexture;
  private queue: { x: number; y: number; w: number; h: number; data: Uint8Array }[] = [];
  versions: string[];
  /** What is to be copied before anything is written. */
  private source: PatchedTexture | null = null;
  private fresh = true;

  constructor(
    readonly side: number,
    srgb: boolean,
    exact = false,
    repeats = false,
  ) {
    this.texture = new THREE.DataTexture(new Uint8Array(side * side * 4), side, side, THREE.RGBAFormat, THREE.UnsignedByteType);
    this.texture.colorSpace = srgb ? THREE.SRGBColorSpace : THREE.NoColorSpace;
    // Bits must not be mixed with their neighbours.
    this.texture.minFilter = exact ? THREE.NearestFilter : THREE.LinearMipmapLinearFilter;
    this.texture.magFilter = exact ? THREE.NearestFilter : THREE.LinearFilter;
    this.texture.generateMipmaps = !exact;
    if (repeats) this.texture.wrapS = this.texture.wrapT = THREE.RepeatWrapping;
    // Rows arrive top first, and UVs come with v down, so nothing is flipped.
    this.texture.flipY = false;
    this.texture.needsUpdate = true;
    this.versions = new Array<string>((side / CHUNK) ** 2).fill("");
  }

  write(x: number, y: number, w: number, h: number, data: Uint8Array): void {
    this.queue.push({ x, y, w, h, data });
    // Until the server says what version it is now, it is none: a stroke that is dropped has to be fetched back.
    const across = this.side / CHUNK;
    for (let row = Math.floor(y / CHUNK); row * CHUNK < y + h; row++) {
      for (let column = Math.floor(x / CHUNK); column * CHUNK < x + w; column++) this.versions[row * across + column] = "";
    }
  }

  /** Write a whole chunk; four bytes mean one colour all over. */
  writeChunk(chunk: number, version: string, data: Uint8Array): void {
    const across = this.side / CHUNK;
    let pixels = data;
    if (data.length === 4) {
      const word = new Uint32Array(data.slice().buffer)[0] ?? 0;
      pixels = new Uint8Array(new Uint32Array(CHUNK * CHUNK).fill(word).buffer);
    }
    this.write((chunk % across) * CHUNK, Math.floor(chunk / across) * CHUNK, CHUNK, CHUNK, pixels);
    this.versions[chunk] = version;
  }

  private begin(renderer: THREE.WebGLRenderer): void {
    if (!this.fresh) return;
    renderer.initTexture(this.texture);
    // The card has it now; the copy here would only double the memory.
    this.texture.image.data = null;
    this.fresh = false;
  }

  /** Send what is waiting to the card. Returns whether anything was. */
  flush(renderer: THREE.WebGLRenderer): boolean {
    if (!this.queue.length && !this.source) return false;
    this.begin(renderer);
    if (this.source) {
      this.source.begin(renderer);
      this.copied(renderer, this.source);
      this.source = null;
    }
    const gl = renderer.getContext() as WebGL2RenderingContext;
    const handle = (renderer.properties.get(this.texture) as { __webglTexture: WebGLTexture }).__webglTexture;
    renderer.state.activeTexture(gl.TEXTURE0);
    renderer.state.bindTexture(gl.TEXTURE_2D, handle);
    gl.pixelStorei(gl.UNPACK_FLIP_Y_WEBGL, false);
    gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
    gl.pixelStorei(gl.UNPACK_COLORSPACE_CONVERSION_WEBGL, gl.NONE);
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 4);
    for (const p of this.queue) gl.texSubImage2D(gl.TEXTURE_2D, 0, p.x, p.y, p.w, p.h, gl.RGBA, gl.UNSIGNED_BYTE, p.data);
    if (this.texture.generateMipmaps) gl.generateMipmap(gl.TEXTURE_2D);
    this.queue = [];
    return true;
  }

  /** Take over what another texture of the same size shows, on the card; what is written after goes on top. */
  copy(from: PatchedTexture): void {
    this.source = from;
    this.queue = [];
    this.versions = [...from.versions];
  }

  private copied(renderer: THREE.WebGLRenderer, from: PatchedTexture): void {
    const gl = renderer.getContext() as WebGL2RenderingContext;
    const handle = (t: THREE.Texture): WebGLTexture => (renderer.properties.get(t) as { __webglTexture: WebGLTexture }).__webglTexture;
    const buffer = gl.createFramebuffer();
    renderer.state.bindFramebuffer(gl.READ_FRAMEBUFFER, buffer as unknown as WebGLFramebuffer);
    gl.framebufferTexture2D(gl.READ_FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, handle(from.texture), 0);
    renderer.state.activeTexture(gl.TEXTURE0);
    renderer.state.bindTexture(gl.TEXTURE_2D, handle(this.texture));
    gl.copyTexSubImage2D(gl.TEXTURE_2D, 0, 0, 0, 0, 0, this.side, this.side);
    renderer.state.bindFramebuffer(gl.READ_FRAMEBUFFER, null as unknown as WebGLFramebuffer);
    gl.deleteFramebuffer(buffer);
  }

  dispose(): void {
    this.texture.dispose();
    this.queue = [];
  }
}

/** Textures by name, a sheet's own or those of another look at it. */
export interface NamedTextures {
  readonly side: number;
  get(name: string): PatchedTexture;
}

/** Textures of one sheet by name ("colour", "data", "normal", "emission", "channel:ID"). */
export class SheetTextures {
  private made = new Map<string, PatchedTexture>();

  /** `repeats`: UVs go beyond the square; `vertices`: pixels are vertices, which have no neighbours to be mixed with. */
  constructor(
    public side: number,
    private repeats = false,
    private vertices = false,
  ) {}

  get(name: string): PatchedTexture {
    let found = this.made.get(name);
    if (!found) {
      found = this.another(name);
      this.made.set(name, found);
    }
    return found;
  }

  /** One of the same kind, not kept here. */
  another(name: string): PatchedTexture {
    const bits = name === SUSPECTS;
    const srgb = !bits && (name === "colour" || name === "emission" || name.startsWith("channel:"));
    return new PatchedTexture(this.side, srgb, bits || this.vertices, this.repeats);
  }

  has(name: string): boolean {
    return this.made.has(name);
  }

  names(): string[] {
    return [...this.made.keys()];
  }

  flush(renderer: THREE.WebGLRenderer): boolean {
    let any = false;
    for (const texture of this.made.values()) any = texture.flush(renderer) || any;
    return any;
  }

  dispose(): void {
    for (const texture of this.made.values()) texture.dispose();
    this.made.clear();
  }
}

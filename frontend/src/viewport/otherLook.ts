/** A sheet as it looks otherwise: before a change, or as another variant has it. What does not differ is shared with what is. */
import * as THREE from "three";
import type { Look } from "./stage";
import { ChannelMaterial, litMaterial } from "./materials";
import type { SheetObjects } from "./sheetObjects";
import type { PatchedTexture, NamedTextures } from "./textures";
import type { VertexUniforms } from "./vertexMaterials";

export interface LookTile {
  chunk: number;
  version: string;
  data: Uint8Array;
}

export class OtherLook implements NamedTextures {
  private readonly own = new Map<string, PatchedTexture>();
  private lit: THREE.MeshStandardMaterial | null = null;
  private readonly channel: ChannelMaterial;
  private readonly flat: ChannelMaterial;

  constructor(private readonly sheet: SheetObjects) {
    this.channel = new ChannelMaterial(false, sheet.info.of === "vertices");
    this.flat = new ChannelMaterial(sheet.info.squares.length > 0);
  }

  get side(): number {
    return this.sheet.textures?.side ?? 0;
  }

  get(name: string): PatchedTexture {
    const found = this.own.get(name) ?? this.sheet.textures?.get(name);
    if (!found) throw new Error("A look was asked for before its sheet was there.");
    return found;
  }

  /** Take what differs from what is, texture by texture; where nothing does, what is serves. */
  take(name: string, tiles: readonly LookTile[]): void {
    const base = this.sheet.textures;
    if (!base) return;
    let mine = this.own.get(name);
    if (mine && (!tiles.length || mine.side !== base.side)) {
      mine.dispose();
      this.own.delete(name);
      mine = undefined;
      this.forgetLit();
    }
    if (!tiles.length) return;
    if (!mine) {
      mine = base.another(name);
      this.own.set(name, mine);
      this.forgetLit();
    }
    mine.copy(base.get(name));
    for (const t of tiles) mine.writeChunk(t.chunk, t.version, t.data);
  }

  private forgetLit(): void {
    this.lit?.dispose();
    this.lit = null;
  }

  flush(renderer: THREE.WebGLRenderer): void {
    for (const texture of this.own.values()) texture.flush(renderer);
  }

  /** Put its materials on the sheet for one picture; gives the way back. */
  dress(look: Look): () => void {
    const { mesh, flat } = this.sheet;
    const before = [mesh.material, flat.material] as const;
    const shown = look.mode === "channel" ? look.channel : "base_color";
    this.channel.show(this, shown, look.mode === "channel", false, null);
    this.flat.show(this, shown, false, false, null);
    if (look.mode === "lit") {
      this.lit ??= this.made();
      mesh.material = this.lit;
    } else mesh.material = this.channel;
    flat.material = this.flat;
    return () => {
      [mesh.material, flat.material] = before;
    };
  }

  /** As the sheet's own lit material, with these textures. */
  private made(): THREE.MeshStandardMaterial {
    const { lit } = this.sheet;
    const made = litMaterial(this, this.sheet.info.of === "vertices");
    const glow = lit.emissiveMap ? this.get("emission").texture : null;
    made.alphaTest = lit.alphaTest;
    made.transparent = lit.transparent;
    made.vertexColors = lit.vertexColors;
    made.emissiveMap = glow;
    made.emissive.set(glow ? 0xffffff : 0x000000);
    const [mine, theirs] = [made.userData.vertices, lit.userData.vertices] as (VertexUniforms | undefined)[];
    if (mine && theirs && theirs.glows.value) {
      mine.vertexGlow.value = this.get("emission").texture;
      mine.glows.value = 1;
    }
    return made;
  }

  dispose(): void {
    for (const texture of this.own.values()) texture.dispose();
    this.own.clear();
    this.forgetLit();
    this.channel.dispose();
    this.flat.dispose();
  }
}

import { ProblemError } from '../../problem.ts';
import { Floats, Ints } from '../text/growing.ts';
import { childOf, childrenOf, type XmlNode } from '../text/xml.ts';
import type { CornerLayer, PolyMesh } from '../mesh/poly-mesh.ts';
import { type Collada, type Input, inputsOf, nameOf, type Source } from './source.ts';

/** A `<geometry>` as polygons, with the material symbols its faces name and the order of its texture sets. */
export interface ColladaMesh {
  mesh: PolyMesh;
  symbols: string[];
  /** `set` attribute of each texture layer, ascending. */
  sets: number[];
  points: number;
}

const FACES = new Set(['triangles', 'polylist', 'polygons', 'trifans', 'tristrips']);

/** @throws ProblemError collada.* */
export function readMesh(file: Collada, geometry: XmlNode): ColladaMesh | null {
  const mesh = childOf(geometry, 'mesh');
  const name = nameOf(geometry, 'mesh');
  if (!mesh) {
    file.say({
      code: 'collada.no-mesh',
      severity: 'warning',
      message: `“${name}” is a spline or convex hull, which is no triangle mesh; it was left out.`,
      where: name,
    });
    return null;
  }
  const vertices = childOf(mesh, 'vertices');
  const shared = vertices ? inputsOf(vertices) : [];
  const position = shared.find((input) => input.semantic === 'POSITION');
  if (!position) throw file.bad(`the mesh “${name}” has no positions`);
  const points = file.source(position.source, `the mesh “${name}”`);
  const faces = new FaceGatherer(file, name, points.count);
  for (const part of mesh.children) {
    if (FACES.has(part.name)) faces.add(part, shared);
    else if (part.name === 'lines' || part.name === 'linestrips')
      file.say({
        code: 'collada.lines',
        severity: 'info',
        message: `Lines of “${name}” have no place in a triangle mesh and were left out.`,
        where: name,
      });
  }
  const at = tight(points, 3);
  for (let i = 0; i < at.length; i++)
    if (!Number.isFinite(at[i]))
      throw new ProblemError(
        'collada.not-finite',
        `Point ${Math.floor(i / 3)} of “${name}” has no finite place. Repair or export it again.`,
        name,
      );
  return faces.finish(name, at);
}

/** Rows of a source without the gaps of its stride. */
export function tight(source: Source, size: number): Float64Array {
  if (source.stride === size && source.offset === 0) return source.values.subarray(0, source.count * size);
  const out = new Float64Array(source.count * size);
  for (let i = 0; i < source.count; i++)
    for (let k = 0; k < Math.min(size, source.stride); k++)
      out[i * size + k] = source.values[source.offset + i * source.stride + k];
  return out;
}

/** Values of several sources one after the other, and the index of each corner into them. */
class LayerGatherer {
  readonly values = new Floats();
  readonly index = new Ints();
  private readonly first = new Map<Source, number>();
  constructor(readonly size: number) {}
  base(source: Source): number {
    let at = this.first.get(source);
    if (at === undefined) {
      at = this.values.length / this.size;
      this.first.set(source, at);
      for (const value of tight(source, this.size)) this.values.push(Number.isFinite(value) ? value : 0);
    }
    return at;
  }
  /** Corners so far that had none of this layer. */
  pad(corners: number): void {
    while (this.index.length < corners) this.index.push(-1);
  }
  layer(): CornerLayer {
    return { size: this.size, values: this.values.done(), index: this.index.done() };
  }
}

class FaceGatherer {
  private readonly corners = new Ints();
  private readonly starts = new Ints();
  private readonly materials = new Ints();
  private readonly symbols: string[] = [];
  private normal: LayerGatherer | null = null;
  private color: LayerGatherer | null = null;
  private readonly uv = new Map<number, LayerGatherer>();

  constructor(
    private readonly file: Collada,
    private readonly name: string,
    private readonly points: number,
  ) {}

  add(part: XmlNode, shared: readonly Input[]): void {
    const inputs = inputsOf(part);
    const width = Math.max(0, ...inputs.map((input) => input.offset)) + 1;
    const vertex = inputs.find((input) => input.semantic === 'VERTEX');
    if (!vertex || width > 64) throw this.file.bad(`faces of “${this.name}” name no vertices`);
    const all = [
      ...inputs,
      ...shared.filter((input) => input.semantic !== 'POSITION').map((input) => ({ ...input, offset: vertex.offset })),
    ];
    const layers = this.layersOf(all);
    const symbol = part.attributes.material ?? '';
    let material = this.symbols.indexOf(symbol);
    if (material < 0) material = this.symbols.push(symbol) - 1;
    const corner = (p: Float64Array, at: number): void => {
      const point = p[at + vertex.offset];
      if (!(point >= 0 && point < this.points))
        throw this.file.bad(`a face of “${this.name}” names vertex ${point}, but there are ${this.points}`);
      this.corners.push(point);
      for (const { gatherer, offset, base, count } of layers) {
        const i = p[at + offset];
        if (!(i >= 0 && i < count))
          throw this.file.bad(`a face of “${this.name}” names entry ${i} of its data, but there are ${count}`);
        gatherer.index.push(base + i);
      }
    };
    const face = (): void => {
      this.starts.push(this.corners.length);
      this.materials.push(material);
    };
    this.walk(part, width, corner, face);
    for (const gatherer of this.gatherers()) gatherer.pad(this.corners.length);
  }

  private gatherers(): LayerGatherer[] {
    return [this.normal, this.color, ...this.uv.values()].filter((entry) => entry !== null);
  }

  private layersOf(
    inputs: readonly Input[],
  ): { gatherer: LayerGatherer; offset: number; base: number; count: number }[] {
    const out: { gatherer: LayerGatherer; offset: number; base: number; count: number }[] = [];
    const take = (input: Input, gatherer: LayerGatherer) => {
      if (out.some((entry) => entry.gatherer === gatherer)) return;
      const source = this.file.source(input.source, `the mesh “${this.name}”`);
      gatherer.pad(this.corners.length);
      out.push({ gatherer, offset: input.offset, base: gatherer.base(source), count: source.count });
    };
    for (const input of inputs) {
      if (input.semantic === 'NORMAL') take(input, (this.normal ??= new LayerGatherer(3)));
      else if (input.semantic === 'COLOR') {
        const { stride } = this.file.source(input.source, `the mesh “${this.name}”`);
        take(input, (this.color ??= new LayerGatherer(stride >= 4 ? 4 : 3)));
      } else if (input.semantic === 'TEXCOORD' || input.semantic === 'UV') {
        let gatherer = this.uv.get(input.set);
        if (!gatherer) {
          gatherer = new LayerGatherer(2);
          this.uv.set(input.set, gatherer);
        }
        take(input, gatherer);
      }
    }
    return out;
  }

  private walk(part: XmlNode, width: number, corner: (p: Float64Array, at: number) => void, face: () => void): void {
    const { file, name } = this;
    if (childOf(part, 'ph'))
      throw new ProblemError(
        'collada.holes',
        `Faces of “${name}” have holes, which no triangle mesh can hold. Triangulate the mesh and export it again.`,
        name,
      );
    const lists = childrenOf(part, 'p').map((p) => file.numbers(p));
    const reach = (p: Float64Array, corners: number) => {
      if (corners * width > p.length) throw file.bad(`the faces of “${name}” stop too early`);
    };
    if (part.name === 'polylist') {
      const [p = new Float64Array(0)] = lists;
      let at = 0;
      for (const n of file.numbers(childOf(part, 'vcount'))) {
        if (!(n >= 0 && n <= 1e6)) throw file.bad(`a face of “${name}” has ${n} corners`);
        reach(p, at + n);
        if (n >= 3) {
          face();
          for (let c = 0; c < n; c++) corner(p, (at + c) * width);
        }
        at += n;
      }
      return;
    }
    for (const p of lists) {
      const n = Math.floor(p.length / width);
      if (part.name === 'polygons') {
        if (n >= 3) {
          face();
          for (let c = 0; c < n; c++) corner(p, c * width);
        }
        continue;
      }
      const triangle = (a: number, b: number, c: number) => {
        face();
        corner(p, a * width);
        corner(p, b * width);
        corner(p, c * width);
      };
      if (part.name === 'triangles') for (let c = 0; c + 2 < n; c += 3) triangle(c, c + 1, c + 2);
      else if (part.name === 'trifans') for (let c = 1; c + 1 < n; c++) triangle(0, c, c + 1);
      else for (let c = 0; c + 2 < n; c++) triangle(c % 2 ? c + 1 : c, c % 2 ? c : c + 1, c + 2);
    }
  }

  finish(name: string, points: Float64Array): ColladaMesh {
    const faceStart = new Uint32Array(this.starts.length + 1);
    faceStart.set(this.starts.done());
    faceStart[this.starts.length] = this.corners.length;
    const sets = [...this.uv.keys()].sort((a, b) => a - b);
    const normal = this.normal?.layer();
    return {
      symbols: this.symbols,
      sets,
      points: points.length / 3,
      mesh: {
        name,
        points,
        corners: this.corners.done(),
        faceStart,
        faceMaterial: this.materials.done(),
        normal: normal && !normal.index.includes(-1) ? normal : undefined,
        uv: sets.map((set) => (this.uv.get(set) as LayerGatherer).layer()),
        color: this.color?.layer(),
      },
    };
  }
}

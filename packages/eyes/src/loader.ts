import { MeshoptDecoder } from 'meshoptimizer';
import { Texture } from 'three';
import { GLTFLoader, type GLTF, type GLTFParser } from 'three/addons/loaders/GLTFLoader.js';
import type { DeliveredFile, Json, RawAsset } from './raw.ts';
import { dracoDecoder } from './draco.ts';
import { understandVrm } from './vrm.ts';

/**
 * Opens a model as the library we draw with does it, in Node and without images: pixels are looked at apart.
 * @param json what it says instead of the file's own
 * @throws Error with that library's reason where it refuses the file
 */
export async function loadModel(model: DeliveredFile, asset: RawAsset, json: Json = asset.json): Promise<GLTF> {
  const loader = new GLTFLoader();
  loader.setMeshoptDecoder(MeshoptDecoder);
  loader.setDRACOLoader(dracoDecoder as never);
  loader.setKTX2Loader({ load() {} } as never);
  loader.register((parser: GLTFParser) => {
    parser.loadTextureImage = async () => new Texture();
    // Files beside the model are at hand already; there is nothing to fetch.
    const own = parser.loadBufferView.bind(parser);
    parser.loadBufferView = (index: number) => {
      const bytes = asset.view(index);
      return bytes ? Promise.resolve(bytes.slice().buffer) : own(index);
    };
    // Coded views are asked for by their buffer.
    const whole = parser.loadBuffer.bind(parser);
    parser.loadBuffer = (index: number) => {
      const bytes = asset.buffer(index);
      return bytes ? Promise.resolve(bytes.slice().buffer as ArrayBuffer) : whole(index);
    };
    return { name: 'without-images' };
  });
  if (/\.vrm$/i.test(model.path)) understandVrm(loader);
  // Where its JSON is another than the file's own, that stands for it: numbers are at hand already.
  const bytes = json === asset.json ? model.bytes : new TextEncoder().encode(JSON.stringify(json));
  return loader.parseAsync(bytes.slice().buffer, '');
}

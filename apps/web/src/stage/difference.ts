import * as THREE from 'three';

const SHADER = {
  vertexShader: 'varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }',
  // What is alike stays a dim grey of the source; what differs lights up, by shape and words in the legend too.
  fragmentShader: `uniform sampler2D source; uniform sampler2D result; varying vec2 at;
    void main() {
      vec4 a = texture2D(source, at), b = texture2D(result, at);
      float cover = max(a.a, b.a);
      if (cover < 0.01) discard;
      float off = clamp(length(a.rgb / (a.rgb + 0.5) - b.rgb / (b.rgb + 0.5)) * 3.0 + abs(a.a - b.a), 0.0, 1.0);
      float grey = 0.12 + 0.22 * dot(a.rgb / (a.rgb + 0.5), vec3(0.3, 0.6, 0.1));
      vec3 dim = vec3(grey), mid = vec3(0.85, 0.77, 0.42), full = vec3(0.96, 0.94, 0.88);
      gl_FragColor = vec4(off < 0.5 ? mix(dim, mid, off * 2.0) : mix(mid, full, off * 2.0 - 1.0), cover);
    }`,
};

/** Both figures drawn away from the screen, then one picture of where they look different. */
export class DifferencePass {
  private readonly targets = {
    source: new THREE.WebGLRenderTarget(1, 1, { type: THREE.HalfFloatType, samples: 4 }),
    result: new THREE.WebGLRenderTarget(1, 1, { type: THREE.HalfFloatType, samples: 4 }),
  };
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.Camera();
  private readonly material = new THREE.ShaderMaterial({
    ...SHADER,
    uniforms: { source: { value: this.targets.source.texture }, result: { value: this.targets.result.texture } },
    depthTest: false,
    transparent: true,
    toneMapped: false,
  });

  constructor() {
    const sheet = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.material);
    sheet.frustumCulled = false;
    this.scene.add(sheet);
  }

  render(
    renderer: THREE.WebGLRenderer,
    scenes: Readonly<Record<'source' | 'result', THREE.Scene>>,
    camera: THREE.Camera,
    width: number,
    height: number,
  ): void {
    const ratio = renderer.getPixelRatio();
    renderer.autoClear = true;
    renderer.setClearColor(0, 0);
    for (const side of ['source', 'result'] as const) {
      this.targets[side].setSize(width * ratio, height * ratio);
      renderer.setRenderTarget(this.targets[side]);
      renderer.setScissorTest(false);
      renderer.render(scenes[side], camera);
    }
    renderer.setRenderTarget(null);
    renderer.setScissorTest(true);
    renderer.render(this.scene, this.camera);
  }

  dispose(): void {
    for (const target of Object.values(this.targets)) target.dispose();
    this.material.dispose();
  }
}

declare module 'gltf-validator' {
  export function validateBytes(
    bytes: Uint8Array,
    options?: object,
  ): Promise<{
    issues: { numErrors: number; messages: { code: string; message: string; pointer: string; severity: number }[] };
  }>;
}

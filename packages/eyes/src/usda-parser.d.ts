declare module 'three/addons/loaders/usd/USDAParser.js' {
  export class USDAParser {
    parseData(text: string): { specsByPath: Record<string, { specType: number; fields: Record<string, unknown> }> };
  }
}

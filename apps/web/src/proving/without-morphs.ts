/**
 * A COLLADA document whose skins lie on surfaces instead of morphs of them: the library's loader stumbles over the latter,
 * which the format asks for (COLLADA 1.4.1, `skin`), and shows no morphs anyway.
 */
export function withoutMorphs(text: string): string {
  const meshOf = new Map(
    [...text.matchAll(/<controller id="([^"]+)"[^>]*>\s*<morph\b[^>]*\bsource="([^"]+)"/g)].map(([, id, mesh]) => [
      `#${id}`,
      mesh,
    ]),
  );
  if (!meshOf.size) return text;
  return text
    .replace(/(<skin source=")([^"]+)/g, (_, start, link) => start + (meshOf.get(link) ?? link))
    .replace(/<instance_controller url="([^"]+)">([\s\S]*?)<\/instance_controller>/g, (whole, link, inner) =>
      meshOf.has(link) ? `<instance_geometry url="${meshOf.get(link)}">${inner}</instance_geometry>` : whole,
    );
}

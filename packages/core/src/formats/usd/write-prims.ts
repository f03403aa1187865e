import { newAttribute, type UsdPrim, type UsdValue } from './layer.ts';

/** A name as the format allows one. */
export const word = (text: string): string => {
  const clean = text.normalize('NFC').replace(/[^\p{L}\p{N}_]/gu, '_');
  return /^[\p{L}_]/u.test(clean) ? clean : `_${clean}`;
};
export const add = (parent: UsdPrim, child: UsdPrim): UsdPrim => {
  parent.children.set(child.name, child);
  return child;
};
/** Names that the format can't spell stay as what people see. */
export const called = (prim: UsdPrim, text: string): UsdPrim => {
  if (text && text !== prim.name) prim.meta.set('displayName', text);
  return prim;
};
export function set(
  prim: UsdPrim,
  name: string,
  type: string,
  value: UsdValue,
  uniform = false,
  meta: [string, UsdValue][] = [],
): void {
  const attribute = newAttribute(type.replace('[]', ''), type.endsWith('[]'));
  attribute.value = value;
  attribute.meta = new Map([...(uniform ? [['variability', 1] as [string, UsdValue]] : []), ...meta]);
  prim.attributes.set(name, attribute);
}
export function connect(prim: UsdPrim, name: string, type: string, to: string): void {
  const attribute = newAttribute(type);
  attribute.connections = [to];
  prim.attributes.set(name, attribute);
}

/** What others may connect to has to be there, with its type and without a value. */
export function declare(prim: UsdPrim, name: string, type: string): void {
  prim.attributes.set(name, newAttribute(type));
}

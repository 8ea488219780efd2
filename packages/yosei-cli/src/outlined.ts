/** Outlines as the commands look into them: plain JSON, of which every reader knows a part. */
import { type Endpoint, type Intake, outline } from 'yosei'

export type Json = string | number | boolean | null | undefined | readonly Json[] | Outline
/** What is said of an intake, an endpoint, a field, a rule or a lookup. */
export interface Outline {
  readonly [name: string]: Json
}
export const outlined = (of: Intake | Endpoint): Outline => outline(of) as Outline

export const isOutline = (value: Json): value is Outline =>
  typeof value === 'object' && value !== null && !Array.isArray(value)
/** What is said under a name; nothing where it is no object. */
export const below = (of: Outline, name: string): Outline => {
  const found = of[name]
  return isOutline(found) ? found : {}
}
/** The branches of a union: by name where it has a tag. */
export const branchesOf = (of: Outline): readonly Outline[] =>
  Array.isArray(of.branches) ? listed(of, 'branches') : Object.values(below(of, 'branches')).filter(isOutline)
/** The objects in a list under a name. */
export const listed = (of: Outline, name: string): readonly Outline[] => {
  const found = of[name]
  return Array.isArray(found) ? found.filter(isOutline) : []
}

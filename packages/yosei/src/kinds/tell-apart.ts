/**
 * Branches of a union that a value names itself: by a constant, or one of some choices, which each of them requires.
 */
import type { ChoiceNode } from './choice.js'
import { type KindTable, kindOf, type Node } from './kind.js'
import type { Source } from './run.js'
import { formsOf } from './shape.js'

/** A union of branches, with how its branches are distinguished once that was asked. */
type Branches = readonly Node[]

export interface Apart {
  /** The name of the field that tells. */
  readonly name: string
  readonly branches: ReadonlyMap<unknown, Node>
  /** The values that it may have, as a field. */
  readonly values: ChoiceNode
  /** Whether the field holds texts alone, which are themselves wherever they come from. */
  readonly areTexts: boolean
  /** The branches that take no object. */
  readonly others: readonly Node[]
}

const known = new WeakMap<Branches, Apart | false>()

/** How the branches that take objects are distinguished; `undefined` if they cannot be, or are fewer than two. */
export function tellApart(branches: Branches, kinds: KindTable): Apart | undefined {
  let found = known.get(branches)
  if (found === undefined) {
    found = find(branches, kinds) ?? false
    known.set(branches, found)
  }
  return found || undefined
}

/**
 * Whether the field tells, if values are read from such a source: what is read from text may be meant as another
 * type.
 */
export const tellsIn = ({ areTexts }: Apart, source: Source): boolean => source === 'json' || areTexts

/** The branch that an object names, if the branches can be distinguished. */
export function namedBranch(branches: Branches, value: unknown, source: Source, kinds: KindTable): Node | undefined {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return undefined
  const apart = tellApart(branches, kinds)
  if (!apart || !tellsIn(apart, source) || !Object.hasOwn(value, apart.name)) return undefined
  return apart.branches.get((value as { readonly [name: string]: unknown })[apart.name])
}

function find(all: Branches, kinds: KindTable): Apart | undefined {
  const takesObjects = (form: Node) => takes(['object', 'anything', 'file'], form, kinds)
  const sent = all.map((branch) => ({ branch, forms: formsOf(branch) }))
  const objects = sent.filter(({ forms }) => forms.some(takesObjects))
  const [first] = objects
  if (!first || objects.length < 2) return undefined
  for (const name of first.forms.flatMap(namesOf)) {
    const branches = new Map<unknown, Node>()
    const tells = objects.every(({ branch, forms }) => {
      const values = forms.filter(takesObjects).map((form) => valuesOf(form, name, branch.coerce))
      return values.every((some) =>
        some?.every((one) => (branches.get(one) ?? branch) === branch && branches.set(one, branch)),
      )
    })
    if (!tells) continue
    const areTexts = [...branches.keys()].every((value) => typeof value === 'string' && value !== '')
    return {
      name,
      branches,
      values: { kind: 'choice', need: 'required', values: [...branches.keys()] as ChoiceNode['values'] },
      areTexts,
      others: sent.filter((one) => !objects.includes(one)).map(({ branch }) => branch),
    }
  }
  return undefined
}

const takes = (shapes: readonly string[], form: Node, kinds: KindTable) => shapes.includes(kindOf(kinds, form).shape)

const namesOf = (form: Node): readonly string[] =>
  form.kind === 'record' ? Object.keys(form.fields) : form.kind === 'tagged' ? [form.tag] : []

/** The values that a form must have under a name; `undefined` if anything may stand there. */
function valuesOf(form: Node, name: string, coerced = false): readonly unknown[] | undefined {
  if (form.kind === 'tagged') return form.tag === name ? Object.keys(form.branches) : undefined
  if (form.kind !== 'record' || !Object.hasOwn(form.fields, name)) return undefined
  const field = form.fields[name] as Node
  if (coerced || form.coerce || field.coerce || field.need !== 'required' || field.nullable || field.readOnly)
    return undefined
  return field.kind === 'constant' ? [field.value] : field.kind === 'choice' ? field.values : undefined
}

/** Whether one value may be tried by several branches to its depth. */
export function isFork(branches: Branches, kinds: KindTable): boolean {
  const forms = branches.map(formsOf)
  const many = (shapes: readonly string[]) =>
    forms.filter((some) => some.some((form) => takes(shapes, form, kinds))).length > 1
  return many(['list', 'anything']) || (many(['object', 'anything']) && !tellApart(branches, kinds))
}

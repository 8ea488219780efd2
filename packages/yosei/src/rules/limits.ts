/** What rules have in common that hold something to limits: at least, at most, or exactly so much. */

export const limitNames = ['atMost', 'atLeast', 'exactly'] as const
export type LimitName = (typeof limitNames)[number]
/** Limits as they are declared. */
export type Limits<L> = { readonly [N in LimitName]?: L | undefined }

/** What is right of something and its limit, as code. */
export const operators = { atMost: '<=', atLeast: '>=', exactly: '===' } as const satisfies { [N in LimitName]: string }

/** Those limits that were given. */
export const givenIn = <L>(limits: Limits<L>): { readonly [N in LimitName]?: L } =>
  Object.fromEntries(limitNames.flatMap((name) => (limits[name] === undefined ? [] : [[name, limits[name]]])))
/** The names of those that were given. */
export const namesGiven = (limits: Limits<unknown>): readonly LimitName[] =>
  limitNames.filter((name) => limits[name] !== undefined)

/** Which limits a sentence names. */
export const limitsSaid = ({ atLeast, atMost, exactly }: Limits<unknown>): 'Exactly' | 'Most' | 'Least' | '' =>
  exactly !== undefined ? 'Exactly' : atLeast === undefined ? 'Most' : atMost === undefined ? 'Least' : ''

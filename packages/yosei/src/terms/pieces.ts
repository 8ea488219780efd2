/** Elements of lists that are judged each alone, to the compiler. */

declare const piece: unique symbol
/** Marks them, for types alone. */
export interface Pieced {
  /** A type only. */
  readonly [piece]?: true
}
/** An element that was accepted. */
export interface AcceptedPiece<V> extends Pieced {
  /** It is valid. */
  readonly outcome: 'accepted'
  /** The element, as it was read. */
  readonly value: V
}
/** What rules see of an element: its value, since they are judged before it is accepted or rejected. */
export type Unpieced<E> = typeof piece extends keyof E ? (E extends AcceptedPiece<infer V> ? V : never) : E

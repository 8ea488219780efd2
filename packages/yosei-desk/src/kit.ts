/** What the command knows of sample books and of servers, and the desk is given. It runs in a browser too. */
import type { FieldError, Intake, Message, Verdict } from 'yosei'
import type { Covered, Decision, OpenLine } from './terms.js'

export type AnyVerdict =
  | Verdict
  | (Exclude<Verdict, { outcome: 'rejected' }> & { readonly outcome: 'accepted' | 'pending' })

/** A sample, as a book has it. */
export interface BookSample {
  readonly title: string
  readonly message: Message
  readonly now?: Date
  readonly who?: { readonly json: unknown }
}
export interface Kit {
  /** @throws Error with the line where a book is malformed. */
  readBook(page: string): readonly BookSample[]
  /** What of a verdict is not as the sample says; `undefined` if it says nothing. */
  faultsOf(app: Intake, sample: BookSample, verdict: AnyVerdict): readonly string[] | undefined
  readWho(
    app: Intake,
    endpoint: string | undefined,
    json: unknown,
    about: object,
  ): { readonly who: unknown } | { readonly error: FieldError | undefined }
  coverage(app: Intake): { add(verdict: AnyVerdict): void; table(): { readonly [endpoint: string]: Covered } }
  /** A sample as it stands in a book. */
  blockOf(title: string, message: Message, verdict: readonly string[], settings: readonly string[]): string
  verdictOf(verdict: AnyVerdict): readonly string[]
  /** The lines of a sample's verdict block for a new verdict: those that hold stay; each open one needs a decision. */
  revised(
    app: Intake,
    page: string,
    sample: BookSample,
    verdict: AnyVerdict,
    decisions: readonly Decision[],
  ): { readonly lines: readonly string[]; readonly open: readonly OpenLine[] }
  /** A page in which samples have these verdicts. */
  withVerdicts(
    page: string,
    changes: readonly { readonly sample: BookSample; readonly verdict: readonly string[] }[],
  ): string
  /** A page in which a sample has this request. */
  withRequest(page: string, sample: BookSample, message: Message): string
  /**
   * A page in which the heading of a sample has these words.
   *
   * @throws RangeError if no heading is of this sample alone.
   */
  withTitle(page: string, sample: BookSample, title: string): string
  /** A page without a sample. */
  without(page: string, sample: BookSample): string
  /** A title without marks of headings. */
  plainTitle(title: string): string
  isWritable(message: Message): boolean
  readHar(text: string): Iterable<BookSample>
  /** Method and template of the endpoint that was probably meant. */
  nearestEndpoint(app: Intake, method: string, target: string): string | undefined
  withoutSecrets(app: Intake, endpoint: string | undefined, value: unknown, path: readonly string[]): unknown
}

/** What an operator wants to see: events of the journal, turns that are held, and how many requests came to what. */
import type { Journal, JournalEvent, TurnStore } from 'yosei'

/** So many events are kept for the page of operators. */
const most = 5000

export class Watched {
  readonly #statuses = new Map<number, number>()
  readonly #rejections = new Map<string, number>()
  readonly #turns = new Map<object, { readonly scope: string; readonly key: string; readonly since: number }>()
  #events: { readonly number: number; readonly event: JournalEvent }[] = []
  #count = 0

  /** Writes on, and remembers. */
  journal(next: Journal | undefined): Journal {
    return {
      write: (event) => {
        this.#events.push({ number: ++this.#count, event })
        if (this.#events.length > most) this.#events = this.#events.slice(-most / 2)
        const label = `endpoint="${event.endpoint ?? ''}",status="${event.status}",outcome="${event.outcome}"`
        this.#rejections.set(label, (this.#rejections.get(label) ?? 0) + 1)
        return next?.write(event)
      },
    }
  }
  turns(store: TurnStore): TurnStore {
    return {
      take: async (scope, key, options) => {
        const turn = await store.take(scope, key, options)
        if (typeof turn === 'string') return turn
        this.#turns.set(turn, { scope, key, since: Date.now() })
        const release = async () => {
          this.#turns.delete(turn)
          await turn.release()
        }
        return { ...turn, renew: () => turn.renew(), release }
      },
    }
  }
  answered(status: number): void {
    this.#statuses.set(status, (this.#statuses.get(status) ?? 0) + 1)
  }

  /** Events after a number, and what is held now. */
  since(after: number) {
    // Of a process that has begun anew, all is new.
    const from = after > this.#count ? 0 : after
    const events = this.#events.filter(({ number }) => number > from).slice(-1000)
    return {
      next: this.#count,
      events: events.map(({ event }) => withoutCause(event)),
      turns: [...this.#turns.values()],
    }
  }
  /** In the text format of metrics that is usual: a name, labels and a number a line. */
  metrics(): string {
    const lines = [
      ...[...this.#statuses].map(([status, count]) => `observatory_answers_total{status="${status}"} ${count}`),
      ...[...this.#rejections].map(([labels, count]) => `observatory_rejections_total{${labels}} ${count}`),
      `observatory_turns_held ${this.#turns.size}`,
      `process_resident_memory_bytes ${process.memoryUsage().rss}`,
    ]
    return `${lines.sort().join('\n')}\n`
  }
}

/** What was thrown is for the file of the journal. */
const withoutCause = ({ cause: _, ...event }: JournalEvent) => event

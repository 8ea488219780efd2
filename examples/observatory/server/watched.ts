/** What an operator wants to see: events of the journal, and turns that are held. */
import type { Journal, JournalEvent, TurnStore } from 'yosei'

/** So many events are kept for the page of operators. */
const most = 5000

export class Watched {
  readonly #turns = new Map<object, { readonly scope: string; readonly key: string; readonly since: number }>()
  #events: { readonly number: number; readonly event: JournalEvent }[] = []
  #count = 0

  /** Writes on, and remembers. */
  journal(next: Journal | undefined): Journal {
    return {
      write: (event) => {
        this.#events.push({ number: ++this.#count, event })
        if (this.#events.length > most) this.#events = this.#events.slice(-most / 2)
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
}

/** What was thrown is for the file of the journal. */
const withoutCause = ({ cause: _, ...event }: JournalEvent) => event

/** The name that was probably meant. */

const longest = 64

/**
 * The nearest of some names to one that is none of them, if one is near: by one edit in three letters, of the shortest
 * names by their case alone; else the one that alone begins with it, from three letters on.
 */
export function nearestOf(name: string, names: readonly string[]): string | undefined {
  if (name.length > longest) return undefined
  let best: string | undefined
  let least = Math.floor(name.length / 3) + 1
  const meant = name.toLowerCase()
  for (const candidate of names) {
    if (candidate.length > longest || Math.abs(candidate.length - name.length) >= least) continue
    const steps = distance(meant, candidate.toLowerCase())
    if (steps < least) {
      least = steps
      best = candidate
    }
  }
  if (best !== undefined || name.length < 3) return best
  const begun = names.filter((candidate) => candidate.length <= longest && candidate.toLowerCase().startsWith(meant))
  return begun.length === 1 ? begun[0] : undefined
}

/** Edits from one text to the other: letters put in, left out, changed, or two neighbours swapped. */
function distance(a: string, b: string): number {
  let before: number[] = []
  let row = Array.from({ length: b.length + 1 }, (_, j) => j)
  for (let i = 1; i <= a.length; i++) {
    const next = [i]
    for (let j = 1; j <= b.length; j++) {
      const changed = (row[j - 1] as number) + (a[i - 1] === b[j - 1] ? 0 : 1)
      const swapped =
        i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1] ? (before[j - 2] as number) + 1 : changed
      next.push(Math.min(changed, swapped, (row[j] as number) + 1, (next[j - 1] as number) + 1))
    }
    before = row
    row = next
  }
  return row[b.length] as number
}

/** The examples, each a file that the tests compile and judge. The first line of each is its name. */
const files = import.meta.glob('../../examples/*.ts', { query: '?raw', import: 'default', eager: true })

export const examples = Object.keys(files)
  .sort()
  .map((file) => {
    const source = files[file]
    return { name: /^\/\/ (.+)$/m.exec(source)[1], source }
  })

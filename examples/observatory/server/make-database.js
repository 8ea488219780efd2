/** Makes the database of a folder: node server/make-database.js FOLDER. What makes it needs much more memory than what uses it. */
import { PGlite } from '@electric-sql/pglite'

const database = await PGlite.create(process.argv[2])
await database.close()

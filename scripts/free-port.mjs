import { createServer } from 'node:net'

/** A port on loopback that nothing listens on now. */
export const freePort = () =>
  new Promise((resolve, reject) => {
    const server = createServer().on('error', reject)
    server.listen(0, '127.0.0.1', () => {
      const { port } = server.address()
      server.close(() => resolve(port))
    })
  })

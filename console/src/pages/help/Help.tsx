import { Link } from 'react-router'

const pages: [page: string, keys: [key: string, does: string][]][] = [
  ['Anywhere', [['?', 'this page'], ['g', 'batches'], ['/', 'search'], ['j', 'jobs'], ['e', 'findings explained']]],
  ['A batch', [['1 2 3', 'table, pictures, line-up'], ['a', 'choose all, or none'], ['Esc', 'choose none']]],
  ['A part: findings', [['n p', 'next, previous place'], ['N P', 'next, previous finding'], ['o', 'only this finding'], ['Esc', 'let go of finding, cut and shell'], ['1 … 9', 'answer the question that is open'], ['a', 'the same for all like it'], ['c', 'compare with what was received']]],
  ['A part: the view', [['f', 'the whole part'], ['w', 'wireframe'], ['b', 'back faces'], ['t', 'see through'], ['k', 'its own colours'], ['h', 'overhang'], ['v', 'the machine around it'], ['m', 'measure'], ['l', 'cut at the middle, or whole'], ['↑ ↓', 'one layer up, down']]],
  ['Two revisions', [['s', 'side by side, or a divider'], ['h', 'the deviation'], ['w', 'wireframe'], ['f', 'the whole part']]],
]

/** Help lists the keys. */
export function Help() {
  return (
    <div className="mx-auto max-w-5xl p-6">
      <h1 className="mb-1 text-xl font-semibold">Keys</h1>
      <p className="mb-4 text-sm opacity-70">In the 3D view, drag to turn, drag with the right button to shift, and scroll to come closer. The address bar always leads back to what you see: send it to a colleague. Programs use the <Link className="link" to="/interface">network interface</Link>.</p>
      <div className="gap-4 md:columns-2">
        {pages.map(([page, keys]) => (
          <section key={page} className="mb-4 break-inside-avoid rounded-box border border-base-300 bg-base-100 p-4" aria-label={page}>
            <h2 className="mb-2 font-semibold">{page}</h2>
            <dl className="grid grid-cols-[6rem_1fr] gap-y-1.5 text-sm">
              {keys.map(([key, does]) => (
                <div key={key} className="contents">
                  <dt className="flex gap-1">{key.split(' ').map((k) => (k === '…' ? <span key={k}>…</span> : <kbd key={k} className="kbd kbd-sm">{k}</kbd>))}</dt>
                  <dd>{does}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </div>
    </div>
  )
}

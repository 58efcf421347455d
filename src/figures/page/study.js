'use strict';
// The page of a study.

const data = JSON.parse(document.getElementById('data').textContent);
const page = document.getElementById('page'), variants = data.variants, columns = data.columns;
const built = variants.filter(v => v.cells);
const metres = kUnits[data.unit] || 1;

page.append(h('h1', {}, data.study));
const failed = variants.filter(v => v.state === 'failed').length;
page.append(h('p', {class: 'verdict' + (failed ? ' bad' : ''), id: 'verdict'},
    `${built.length} of ${variants.length} variants are built` + (failed ? `, ${failed} failed` : '') + `; ${built.filter(v => v.fit).length} are fit for a solver.`));
for (const v of variants.filter(v => v.failure))
    page.append(h('ul', {class: 'warnings'}, h('li', {}, `${v.variant}: ${v.failure}`)));
// Each warning once, with the variants that it is of.
const warned = new Map();
for (const v of built) for (const w of v.warnings || []) warned.set(w, [...(warned.get(w) || []), v.variant]);
if (warned.size)
    page.append(h('ul', {class: 'warnings', id: 'warnings'}, [...warned].map(([w, of]) => h('li', {title: of.join(', ')},
        `${of.length === variants.length ? 'all' : of.length > 4 ? `${of[0]} and ${of.length - 1} more` : of.join(', ')}: ${w}`))));

// Every figure by a name of its own.
function figuresOf(v) {
    const out = {};
    const add = (name, x, times = 1) => { if (typeof x === 'number') out[name] = x * times; };
    if (!v.cells) return out;
    for (const [type, n] of Object.entries(v.cells)) if (type === 'total') add('cells', n); else if (n) add(type, n);
    add('predicted, %', 100 * (v.predicted_cells / v.cells.total - 1));
    add('finer by', v.finer_by);
    add('full layers, %', v.full_layers_share, 100);
    add(`first height asked, ${data.unit}`, v.first_asked, 1 / metres);
    add(`first height, ${data.unit}`, v.first_median, 1 / metres);
    if (v.y_plus) add('y+', v.y_plus.median);
    add('time, s', v.seconds);
    add('memory, MB', v.peak_megabytes);
    for (const [key, m] of Object.entries(v.metrics || {})) {
        if (key === 'volume' || key === 'closedness') continue;
        add(key.replaceAll('_', ' ') + ', worst', m.worst);
        add(key.replaceAll('_', ' ') + ', mean', m.mean);
    }
    return out;
}
for (const v of variants) v.figures = figuresOf(v);
const names = [...new Set(built.flatMap(v => Object.keys(v.figures)))];

// The table.
const main = ['cells', 'predicted, %', 'finer by', 'full layers, %', `first height, ${data.unit}`, 'y+', 'time, s', 'memory, MB',
    'equiangle skewness, worst', 'non orthogonality, worst', 'non orthogonality, mean', 'volume ratio, worst'].filter(n => names.includes(n));
const shownDigits = (name, x) => x === undefined ? '' : name === 'cells' ? grouped(x) : digits(x, 3);
let sortedBy = null, turned = false;
const body = h('tbody', {});
function rows() {
    const keyOf = v => sortedBy === null ? 0 : columns.includes(sortedBy) ? v.values[sortedBy] : v.figures[sortedBy] ?? -Infinity;
    const list = [...variants];
    if (sortedBy !== null) list.sort((a, b) => {
        const p = keyOf(a), q = keyOf(b);
        const order = typeof p === 'number' ? p - q : String(p).localeCompare(String(q), undefined, {numeric: true});
        return turned ? -order : order;
    });
    body.replaceChildren(...list.map(v => h('tr', {'data-variant': v.variant}, columns.map(c => h('td', {class: 'left'}, v.values[c])),
        main.map(n => h('td', {}, shownDigits(n, v.figures[n]))),
        h('td', {class: 'left ' + (v.fit ? 'good' : 'bad')}, v.cells ? v.fit ? 'fit' : 'not fit' : v.state),
        h('td', {class: 'left'}, v.cells ? h('a', {href: encodeURIComponent(v.variant) + '/report.html'}, 'report') : ''))));
}
const sortBy = name => { turned = sortedBy === name && !turned; sortedBy = name; rows(); };
const head = (name, left) => h('th', {class: left ? 'left' : null}, h('button', {type: 'button', class: 'sort', click: () => sortBy(name)}, name));
page.append(h('h2', {}, 'Variants'), h('div', {class: 'scroll'}, h('table', {id: 'variants'},
    h('thead', {}, h('tr', {}, columns.map(c => head(c, true)), main.map(n => head(n)), h('th', {class: 'left'}, 'verdict'), h('th', {}, ''))), body)),
    h('p', {class: 'soft'}, 'A head sorts by its column. Predicted: how far the plan was off. Finer by: ratio of edge lengths to the variant that differs by the first column alone.'));
rows();

// Any figure against any other.
if (built.length > 1) {
    const plot = h('div', {id: 'plot'});
    const choose = (id, chosen) => h('select', {id, change: draw}, names.map(n => h('option', {value: n, selected: n === chosen}, n)));
    const across = choose('plot-x', names.includes('cells') ? 'cells' : names[0]);
    const up = choose('plot-y', main.includes('non orthogonality, worst') ? 'non orthogonality, worst' : names[names.length - 1]);
    const group = v => columns.length ? v.values[columns[columns.length - 1]] : '';
    const groups = [...new Set(built.map(group))];
    const colourOf = v => data.colours[groups.indexOf(group(v)) % data.colours.length];
    function draw() {
        const w = 720, high = 330, left = 70, bottom = 40, top = 14, right = 44;
        const points = built.filter(v => v.figures[across.value] !== undefined && v.figures[up.value] !== undefined)
            .map(v => ({v, x: v.figures[across.value], y: v.figures[up.value]}));
        const svg = document.createElementNS('http://www.w3.org/2000/svg', 'svg');
        svg.setAttribute('viewBox', `0 0 ${w} ${high}`);
        svg.setAttribute('role', 'img');
        svg.setAttribute('aria-label', `${up.value} against ${across.value}`);
        const add = (tag, attributes, text) => {
            const e = document.createElementNS('http://www.w3.org/2000/svg', tag);
            for (const [k, value] of Object.entries(attributes)) e.setAttribute(k, value);
            if (text !== undefined) e.textContent = text;
            svg.append(e);
            return e;
        };
        // Round steps, about five of them, that the values lie between.
        const scale = list => {
            let lo = Math.min(...list), hi = Math.max(...list);
            if (lo === hi) lo -= Math.abs(lo) * 0.1 + 1e-9, hi += Math.abs(hi) * 0.1 + 1e-9;
            const raw = (hi - lo) / 5, power = Math.pow(10, Math.floor(Math.log10(raw)));
            const step = [1, 2, 5, 10].map(m => m * power).find(s => s >= raw);
            return {lo: Math.floor(lo / step) * step, hi: Math.ceil(hi / step) * step, step};
        };
        const sx = scale(points.map(p => p.x)), sy = scale(points.map(p => p.y));
        const px = x => left + (w - left - right) * (x - sx.lo) / (sx.hi - sx.lo);
        const py = y => high - bottom - (high - bottom - top) * (y - sy.lo) / (sy.hi - sy.lo);
        for (let x = sx.lo; x <= sx.hi + sx.step / 2; x += sx.step) {
            add('line', {x1: px(x), x2: px(x), y1: top, y2: high - bottom, class: 'grid'});
            add('text', {x: px(x), y: high - bottom + 15, 'text-anchor': 'middle'}, Math.abs(x) >= 1e4 ? grouped(x) : digits(x, 3));
        }
        for (let y = sy.lo; y <= sy.hi + sy.step / 2; y += sy.step) {
            add('line', {x1: left, x2: w - right, y1: py(y), y2: py(y), class: 'grid'});
            add('text', {x: left - 6, y: py(y) + 4, 'text-anchor': 'end'}, Math.abs(y) >= 1e4 ? grouped(y) : digits(y, 3));
        }
        add('text', {x: (left + w - right) / 2, y: high - 6, 'text-anchor': 'middle'}, across.value);
        for (const g of groups) {
            const line = points.filter(p => group(p.v) === g).sort((a, b) => a.x - b.x);
            if (line.length > 1) add('polyline', {points: line.map(p => `${px(p.x)},${py(p.y)}`).join(' '), fill: 'none', stroke: colourOf(line[0].v), 'stroke-width': 1.5});
        }
        for (const p of points) {
            const dot = add('circle', {cx: px(p.x), cy: py(p.y), r: 5, fill: colourOf(p.v), class: 'dot'});
            const title = document.createElementNS('http://www.w3.org/2000/svg', 'title');
            title.textContent = `${p.v.variant}: ${digits(p.x)}, ${digits(p.y)}`;
            dot.append(title);
        }
        plot.replaceChildren(svg);
    }
    page.append(h('h2', {}, 'Figures against each other'),
        h('p', {}, up, ' against ', across, ' ', columns.length ? h('span', {class: 'soft'}, `coloured by ${columns[columns.length - 1]}: `) : '',
            groups.map((g, i) => [h('span', {class: 'swatch', style: `background:${data.colours[i % data.colours.length]}`}), ` ${g} `])), plot);
    draw();
}

// Cuts side by side.
const cut = variants.filter(v => v.cuts);
const views = [];
window.views = views;
if (cut.length) {
    let axis = 1, colour = 'type', following = false;
    const grid = h('div', {class: 'cuts', id: 'cuts'});
    const draw = () => views.forEach((view, i) => {
        const c = cut[i].cuts[axis];
        const u = unpacked(c, data.box, ['type', 'region', 'quality']);
        view.show('cut', u, f => colour === 'type' ? data.types[u.type[f]].colour : onScale(data.quality_scale, u.quality[f] / 255));
    });
    const look = () => { if (views.length) views[0].look([[1, 0, 0.02], [0, 1, 0.02], [0, 0, 1]][axis]); };
    const follow = from => {
        if (following) return;
        following = true;
        for (const view of views) {
            if (view === from) continue;
            view.camera.position.copy(from.camera.position);
            view.camera.zoom = from.camera.zoom;
            view.controls.target.copy(from.controls.target);
            view.camera.updateProjectionMatrix();
            view.controls.update();
            view.draw();
        }
        following = false;
    };
    page.append(h('h2', {}, 'Cuts'), h('p', {},
        h('select', {id: 'cut-axis', 'aria-label': 'direction of the cuts', change: e => { axis = Number(e.target.value); draw(); look(); }},
            ['x', 'y', 'z'].map((a, i) => h('option', {value: i, selected: i === axis}, 'across ' + a))), ' cells by ',
        h('select', {id: 'cut-colour', 'aria-label': 'colours of the cuts', change: e => { colour = e.target.value; draw(); }},
            h('option', {value: 'type'}, 'type'), h('option', {value: 'quality'}, 'quality')), ' ',
        h('span', {class: 'soft'}, 'One view turned turns all.' + (cut.length < built.length ? ` The first ${cut.length} of ${built.length} are shown.` : ''))), grid);
    for (const v of cut) {
        const host = h('div', {class: 'view'});
        grid.append(h('figure', {}, h('figcaption', {}, v.variant, h('span', {class: 'soft'}, ` ${grouped(v.cells.total)} cells` + (v.cuts[axis].simplified_from ? ', simplified for display' : ''))), host));
        let view = null;
        try { view = new View(host, data.box, data.unit); } catch (e) { host.append(h('p', {class: 'note'}, 'There is no WebGL here.')); }
        if (!view) continue;
        view.controls.addEventListener('change', () => follow(view));
        views.push(view);
    }
    if (views.length === cut.length) {
        for (const view of views) if (data.body) view.begin(data.body);
        draw();
        look();
        follow(views[0]);
    }
}

// What differs between two case files.
if (variants.length > 1) {
    const pick = (id, chosen) => h('select', {id, change: differ}, variants.map((v, i) => h('option', {value: i, selected: i === chosen}, v.variant)));
    const one = pick('differ-one', 0), other = pick('differ-other', 1), out = h('pre', {id: 'difference'});
    /** Lines of both, those in common together, by the longest common subsequence. */
    function differ() {
        const a = variants[one.value].case.trim().split('\n'), b = variants[other.value].case.trim().split('\n');
        const best = Array.from({length: a.length + 1}, () => new Uint32Array(b.length + 1));
        for (let i = a.length - 1; i >= 0; --i)
            for (let k = b.length - 1; k >= 0; --k) best[i][k] = a[i] === b[k] ? best[i + 1][k + 1] + 1 : Math.max(best[i + 1][k], best[i][k + 1]);
        const lines = [];
        let i = 0, k = 0, table = '', told = '';
        const tell = (mark, line) => {
            if (table !== told && line !== table) lines.push(h('span', {class: 'soft'}, table + '\n'));
            told = table;
            lines.push(h('span', {class: mark === '-' ? 'bad' : 'good'}, `${mark} ${line}\n`));
        };
        while (i < a.length || k < b.length) {
            if (i < a.length && k < b.length && a[i] === b[k]) {
                if (a[i].startsWith('[')) table = a[i];
                ++i, ++k;
            } else if (k >= b.length || (i < a.length && best[i + 1][k] >= best[i][k + 1])) {
                tell('-', a[i++]);
            } else {
                tell('+', b[k++]);
            }
        }
        out.replaceChildren(...(lines.length ? lines : ['The same.']));
    }
    page.append(h('h2', {}, 'What differs'), h('p', {}, one, ' and ', other), out);
    differ();
}

'use strict';
// The report of a build.

const data = JSON.parse(document.getElementById('data').textContent);
const summary = data.summary, quality = summary.quality;
const unit = summary.case.unit || 'm', metres = kUnits[unit] || 1;
const page = document.getElementById('page');
const all = quality.metrics.concat((quality.surface_metrics || []).map(m => Object.assign({ofSurface: true}, m)));
const scaleOf = m => m.key === 'volume' ? 1 / metres ** 3 : m.key === 'area' ? 1 / metres ** 2 : 1;
const unitOf = m => m.key === 'volume' ? unit + '\u00b3' : m.key === 'area' ? unit + '\u00b2' : m.unit;
const labelOf = m => (m.ofSurface ? 'surface: ' : '') + m.name + (unitOf(m) ? ', ' + unitOf(m) : '');
const worstOf = m => m.better === 'low' ? m.max : m.min;
const metricOf = key => all.find(m => m.key === key);

function sentence() {
    const byRole = {};
    for (const z of summary.zones) (byRole[z.role] = byRole[z.role] || []).push(z.name);
    const zones = Object.entries(byRole).map(([role, names]) => names.length > 4 ? `${names.length} zones of role ${role}` : `${role}: ${names.join(', ')}`).join('; ');
    const extent = (data.plane ? [0, 1] : [0, 1, 2]).map(k => digits((data.box[1][k] - data.box[0][k]) / metres)).join(' \u00d7 ');
    const kinds = ['tetrahedra', 'pyramids', 'prisms', 'hexahedra', 'polyhedra', 'triangles', 'quadrangles'].filter(k => summary.cells[k] > 0);
    return `${grouped(summary.cells.total)} cells (${kinds.map(k => grouped(summary.cells[k]) + ' ' + k).join(', ')}) in ` +
        `${summary.regions.map(r => `${r.name} (${r.kind})`).join(', ')}, ${extent} ${unit}. ${zones[0].toUpperCase() + zones.slice(1)}.`;
}

const isGood = quality.limits_hold && quality.fit !== false;
page.append(h('h1', {}, summary.case.name), h('p', {class: 'verdict' + (isGood ? '' : ' bad'), id: 'verdict'}, quality.verdict));
page.append(h('p', {}, sentence()));
if (summary.warnings.length) page.append(h('ul', {class: 'warnings', id: 'warnings'}, summary.warnings.map(w => h('li', {}, w))));

// The view.
const host = h('div', {class: 'view', id: 'view'}), side = h('div', {class: 'side'});
page.append(h('div', {class: 'stage'}, host, side));
const view = viewIn(host, data.box, unit);
window.view = view;
const surface = unpacked(data.surface, data.box, ['zone', 'layers']);
const shown = data.zones.map(z => !z.outer);
let colouring = 'zone', cutAxis = data.plane ? 2 : -1, cutAt = 0, cutColour = 'type', edges = true;
const most = Math.max(1, data.surface.most_layers);
const cutsOf = axis => data.cuts.filter(c => c.axis === axis);
const unpackedCuts = new Map();

function drawSurface() {
    if (!view) return;
    const colour = f => !shown[surface.zone[f]] ? null : colouring === 'zone' ? data.zones[surface.zone[f]].colour : onScale(data.scale, surface.layers[f] / most);
    let clip = null;
    view.hide('cut');
    if (cutAxis >= 0) {
        const cut = cutsOf(cutAxis)[cutAt];
        const n = [0, 0, 0];
        n[cutAxis] = -1;
        if (!data.plane) clip = new THREE.Plane(new THREE.Vector3(...n), cut.at);
        if (!unpackedCuts.has(cut)) unpackedCuts.set(cut, unpacked(cut, data.box, ['type', 'region', 'quality']));
        const u = unpackedCuts.get(cut);
        view.show('cut', u, f => cutColour === 'type' ? data.types[u.type[f]].colour : cutColour === 'region' ? data.regions[u.region[f]].colour :
            onScale(data.quality_scale, u.quality[f] / 255));
    }
    view.show('surface', surface, colour, {edges: edges && !data.surface.simplified_from, clip});
}

const legend = h('div', {id: 'legend'});
function radio(name, value, text, chosen, change) {
    return h('label', {}, h('input', {type: 'radio', name, value, checked: chosen, change}), text);
}
function zoneList() {
    const boxes = data.zones.map((z, i) => h('input', {type: 'checkbox', checked: shown[i], 'data-zone': z.name, change: e => {
        shown[i] = e.target.checked;
        drawSurface();
    }}));
    const set = value => {
        boxes.forEach((b, i) => b.checked = shown[i] = value);
        drawSurface();
    };
    return h('fieldset', {}, h('legend', {}, 'Zones'),
        rowsOf(data.zones, (z, i) => h('label', {}, boxes[i], h('span', {class: 'swatch', style: `background:${z.colour}`}), `${z.name} (${z.role})`, h('span', {class: 'count'}, grouped(z.faces)))),
        data.body ? h('p', {class: 'soft'}, 'The outer zones are hidden at first: they hide the body.') : null,
        h('button', {type: 'button', click: () => set(true)}, 'all'), ' ', h('button', {type: 'button', click: () => set(false)}, 'none'));
}
function layerLegend() {
    legend.replaceChildren(...(colouring === 'layers' ? ramp(data.scale, 'no layers', most + ' layers') : []));
}
const cutNote = h('div', {class: 'soft', id: 'cut-note'}), slider = h('input', {type: 'range', min: 0, max: 0, step: 1, 'aria-label': 'place of the cut', id: 'cut'});
function cutChanged() {
    const list = cutAxis >= 0 ? cutsOf(cutAxis) : [];
    slider.max = Math.max(0, list.length - 1);
    slider.disabled = !list.length;
    if (list.length) {
        cutAt = Math.min(cutAt, list.length - 1);
        if (!data.plane) cutNote.textContent = `${'xyz'[cutAxis]} = ${digits(list[cutAt].at / metres, 3)} ${unit}` + (list[cutAt].simplified_from ? ', simplified for display: cells are smaller than they look' : '');
    } else {
        cutNote.textContent = '';
    }
    drawSurface();
}
slider.addEventListener('input', () => {
    cutAt = Number(slider.value);
    cutChanged();
});
side.append(zoneList(),
    h('fieldset', {}, h('legend', {}, 'Walls by'), radio('by', 'zone', 'zone', true, () => { colouring = 'zone'; layerLegend(); drawSurface(); }),
        radio('by', 'layers', 'number of layers', false, () => { colouring = 'layers'; layerLegend(); drawSurface(); }), legend),
    h('fieldset', {}, h('legend', {}, data.plane ? 'Cells' : 'Cut'),
        data.plane ? null : h('select', {'aria-label': 'direction of the cut', id: 'cut-axis', change: e => {
            cutAxis = Number(e.target.value);
            cutAt = Math.floor(cutsOf(Math.max(0, cutAxis)).length / 2);
            cutChanged();
            slider.value = cutAt;
            // From the side where the half that is not shown was.
            if (view && cutAxis >= 0) view.look([[1, -0.35, 0.3], [0.35, 1, 0.3], [0.3, -0.4, 1]][cutAxis]);
        }}, h('option', {value: -1}, 'none'), ['x', 'y', 'z'].map((a, i) => h('option', {value: i}, 'across ' + a))), data.plane ? null : slider, cutNote,
        h('label', {}, data.plane ? 'by' : 'cells by', h('select', {id: 'cut-colour', 'aria-label': 'colours of the cut', change: e => { cutColour = e.target.value; cutLegend(); drawSurface(); }},
            h('option', {value: 'type'}, 'type'), h('option', {value: 'region'}, 'region'), h('option', {value: 'quality'}, data.cut_quality.name))), h('div', {id: 'cut-legend'})),
    h('fieldset', {}, h('legend', {}, 'Also'),
        h('label', {}, h('input', {type: 'checkbox', checked: true, change: e => { edges = e.target.checked; drawSurface(); }}), 'edges of faces'),
        h('label', {}, h('input', {type: 'checkbox', checked: true, id: 'marks', change: e => { if (view) { view.marks.forEach(m => m.visible = e.target.checked); view.draw(); } }}), 'marks at the worst cells')));
function cutLegend() {
    const list = cutColour === 'type' ? data.types.filter(t => summary.cells[t.name] > 0) : data.regions;
    document.getElementById('cut-legend').replaceChildren(...(cutColour === 'quality' ? ramp(data.quality_scale, digits(data.cut_quality.low), digits(data.cut_quality.high)) :
        list.map(t => h('label', {}, h('span', {class: 'swatch', style: `background:${t.colour}`}), t.name))));
}
host.append(h('div', {class: 'note'}, 'Drag or arrow keys turn, wheel or + and \u2212 zoom, right button moves.' +
    (data.surface.simplified_from ? ` Simplified for display: ${grouped(data.surface.faces)} of ${grouped(data.surface.simplified_from)} faces.` : '')));
cutLegend();
if (view && data.body) view.begin(data.body);
if (view && data.plane) view.look([0, 0, 1]);
drawSurface();
slider.disabled = true;

// Worst cells.
const leading = ['equiangle_skewness', data.plane ? 'smallest_angle' : 'smallest_dihedral', 'visibility', 'orthogonality', 'non_orthogonality', 'volume_ratio', 'warp'];
const worst = quality.metrics.filter(m => leading.includes(m.key) || m.beyond > 0).flatMap(m => m.worst.slice(0, 3).map(w => ({m, w})));
if (worst.length) {
    page.append(h('h2', {}, 'Worst cells'), h('p', {class: 'soft'}, 'A row shows its place in the view.'));
    const rows = worst.map(({m, w}, i) => {
        if (view) view.mark(w.place, '#c81e1e', i % 3 ? 14 : 20);
        const fly = () => {
            for (const r of rows) r.classList.remove('chosen');
            rows[i].classList.add('chosen');
            if (view) view.flyTo(w.place, 0.14 * view.size);
        };
        return h('tr', {class: 'clickable', tabindex: 0, 'data-worst': i, click: fly, keydown: e => { if (e.key === 'Enter' || e.key === ' ') { e.preventDefault(); fly(); } }},
            h('td', {}, i % 3 ? '' : labelOf(m)), h('td', {}, digits(w.value * scaleOf(m))), h('td', {class: 'left'}, w.type.replace(/a$/, 'on').replace(/s$/, '')),
            h('td', {class: 'left'}, placeText(w.place, metres)), h('td', {class: 'left'}, w.zone ? (w.distance > 0 ? `${digits(w.distance / metres, 3)} ${unit} from ${w.zone}` : 'at ' + w.zone) : ''),
            h('td', {class: 'wrap'}, w.cause));
    });
    page.append(h('div', {class: 'scroll'}, h('table', {id: 'worst'}, h('thead', {}, h('tr', {}, ['metric', 'value', 'cell', `place, ${unit}`, 'zone', 'likely cause'].map((t, i) => h('th', {class: i > 1 ? 'left' : null}, t)))), h('tbody', {}, rows))));
}

// Quality.
function metricRow(m) {
    const v = x => h('td', {}, digits(x * scaleOf(m)));
    return h('tr', {title: (data.metrics[m.key] || {}).definition}, h('td', {}, labelOf(m)), v(m.min), v(m.mean), v(m.better === 'low' ? m.p99 : m.p1), v(m.max),
        h('td', {}, m.limit === undefined ? '' : digits(m.limit)),
        h('td', {class: m.beyond > 0 ? 'bad' : 'good'}, m.limit === undefined ? '' : m.beyond > 0 ? `${grouped(m.beyond)} of ${grouped(m.count)}` : 'none'));
}
page.append(h('h2', {}, 'Quality'), h('div', {class: 'scroll'}, h('table', {id: 'quality'}, h('thead', {}, h('tr', {}, ['metric', 'min', 'mean', '99 % keep to', 'max', 'limit', 'beyond'].map(t => h('th', {}, t)))),
    h('tbody', {}, all.filter(m => m.key !== 'closedness' || m.max > 1e-9).map(metricRow)))));

function histogram(m) {
    const w = 300, high = 120, top = 10, n = m.histogram.counts.length, peak = Math.max(...m.histogram.counts), edges = m.histogram.edges;
    const svg = document.createElementNS('http://www.w3.org/2000/svg', 'svg');
    svg.setAttribute('viewBox', `0 0 ${w} ${high + 34}`);
    svg.setAttribute('role', 'img');
    const add = (tag, attributes, text) => {
        const e = document.createElementNS('http://www.w3.org/2000/svg', tag);
        for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
        if (text !== undefined) e.textContent = text;
        svg.append(e);
        return e;
    };
    const step = w / n;
    m.histogram.counts.forEach((c, k) => {
        if (!c) return;
        const bar = Math.max(1.5, high * Math.sqrt(c / peak)), beyond = m.limit !== undefined && (m.better === 'low' ? edges[k] >= m.limit : edges[k + 1] <= m.limit);
        const r = add('rect', {x: k * step + 0.5, y: top + high - bar, width: Math.max(0.5, step - 1), height: bar, class: beyond ? 'beyond' : 'bar'});
        const title = document.createElementNS('http://www.w3.org/2000/svg', 'title');
        title.textContent = `${digits(edges[k] * scaleOf(m), 3)} to ${digits(edges[k + 1] * scaleOf(m), 3)}: ${grouped(c)}`;
        r.append(title);
    });
    const every = Math.max(1, Math.ceil(n / 5));
    for (let k = 0; k <= n; k += every) add('text', {x: Math.min(w - 2, Math.max(2, k * step)), y: top + high + 15, 'text-anchor': k === 0 ? 'start' : k + every > n ? 'end' : 'middle'}, digits(edges[k] * scaleOf(m), 3));
    const usual = (data.metrics[m.key] || {}).usual_limit, limit = m.limit !== undefined ? m.limit : usual;
    if (limit !== undefined && limit >= edges[0] && limit <= edges[n]) {
        const k = Math.min(n - 1, edges.findIndex((e, i) => i + 1 > n - 1 || edges[i + 1] >= limit));
        const x = step * (k + (limit - edges[k]) / (edges[k + 1] - edges[k]));
        add('line', {x1: x, x2: x, y1: 0, y2: top + high, class: m.limit !== undefined ? 'limit' : 'usual'});
        add('text', {x: x > w / 2 ? x - 4 : x + 4, y: 9, 'text-anchor': x > w / 2 ? 'end' : 'start'}, (m.limit !== undefined ? 'limit ' : 'usual limit ') + digits(limit));
    }
    return h('figure', {}, h('figcaption', {}, labelOf(m)), svg);
}
page.append(h('h2', {}, 'Histograms'), h('p', {class: 'soft'}, 'Heights by the square root of the number, so that what is rare can be seen.'),
    h('div', {class: 'histograms', id: 'histograms'}, all.filter(m => m.histogram && m.histogram.counts.length > 1 && m.key !== 'closedness').map(histogram)));

// Groups.
if ((quality.groups || []).length) {
    const shownMetrics = leading.filter(k => metricOf(k));
    const table = h('table', {}, h('thead', {}, h('tr', {}, h('th', {}, ''), h('th', {}, 'cells'), shownMetrics.map(k => h('th', {}, metricOf(k).name, h('br'), 'mean / worst')))));
    for (const kind of ['region', 'cell type', 'zone', 'refinement'])
        for (const g of quality.groups.filter(x => x.kind === kind))
            table.append(h('tr', {}, h('td', {}, `${kind}: ${g.name}`), h('td', {}, grouped(g.cells)),
                shownMetrics.map(k => h('td', {}, g.metrics[k] ? `${digits(g.metrics[k].mean, 3)} / ${digits(g.metrics[k].worst, 3)}` : ''))));
    page.append(h('h2', {}, 'By region, type of cell, zone'), h('div', {class: 'scroll'}, table));
}

// Layers.
if ((summary.layers || []).length) {
    const percent = x => (100 * x).toFixed(1) + ' %';
    const rows = summary.layers.map(l => h('tr', {}, h('td', {}, l.zone), h('td', {}, l.most), h('td', {}, percent(l.full_share)), h('td', {}, percent(l.bare_share)),
        h('td', {}, `${digits(l.first.median / metres, 3)}`), h('td', {}, percent(l.first.share_within_5_percent)), h('td', {}, digits(l.growth, 4)),
        h('td', {}, digits(l.step_to_core.median, 3)), h('td', {}, digits(l.step_to_core.p95, 3)), h('td', {}, l.y_plus ? `${digits(l.y_plus.min, 3)} to ${digits(l.y_plus.max, 3)}` : ''),
        h('td', {class: 'wrap'}, (l.shortfalls || []).filter(s => s.area > 5e-4 * l.area).map(s => `${s.why} (${(100 * s.area / l.area).toFixed(1)} %, e.g. ${placeText(s.at, metres)})`).join('; '))));
    page.append(h('h2', {}, 'Layers by zone'), h('div', {class: 'scroll'}, h('table', {id: 'layers'}, h('thead', {}, h('tr', {}, ['zone', 'layers', 'full', 'bare', `first, ${unit}`, 'within 5 %', 'growth', 'step to core', '95 %', 'y+', 'fewer or lower because']
        .map(t => h('th', {}, t)))), h('tbody', {}, rows))), h('p', {class: 'soft'}, 'Full, bare: shares of the area with all layers and with none. Step: volumes of last layer and core cell.'));
}

// Zones and regions, predicted and built, time.
page.append(h('h2', {}, 'Zones'), h('div', {class: 'scroll'}, h('table', {}, h('thead', {}, h('tr', {}, ['zone', 'role', ...(data.plane ? ['edges', `length, ${unit}`] : ['faces', `area, ${unit}\u00b2`])].map(t => h('th', {}, t)))),
    h('tbody', {}, summary.zones.map(z => h('tr', {}, h('td', {}, z.name), h('td', {}, z.role + ((summary.guessed_roles || []).includes(z.name) ? ' (guessed)' : '')), h('td', {}, grouped(z.faces)), h('td', {}, digits(data.plane ? z.length / metres : z.area / metres ** 2))))))));
const predicted = summary.predicted && summary.predicted.cells ? summary.predicted.cells.total : 0, built = summary.cells.total;

// What a wrap closed over, the largest first.
const wrap = summary.wrap;
if (wrap) {
    const length = v => `${digits(v / metres)} ${unit}`;
    const places = wrap.bridged.slice(0, 20);
    const fly = b => { if (view) view.flyTo(b.at, 0.14 * view.size); };
    page.append(h('h2', {}, 'Wrap'), h('p', {id: 'wrap'}, `The geometry was wrapped at a gap of ${length(wrap.gap)}: the wrap is ${length(wrap.to_original.mean)} from it on average, ` +
        `99 % within ${length(wrap.to_original.percentile_99)}, ${length(wrap.to_original.largest)} at most. ` +
        (places.length ? `${grouped(wrap.bridged.length)} gaps were closed over (zone bridged); a row shows its place in the view.` : 'Nothing was closed over.')));
    if (places.length)
        page.append(h('div', {class: 'scroll'}, h('table', {id: 'bridged'}, h('thead', {}, h('tr', {}, [`area, ${unit}\u00b2`, `width, ${unit}`, `place, ${unit}`, 'beside zone'].map((t, i) => h('th', i > 1 ? {class: 'left'} : {}, t)))),
            h('tbody', {}, places.map(b => h('tr', {class: 'clickable', tabindex: 0, click: () => fly(b), keydown: e => { if (e.key === 'Enter' || e.key === ' ') { e.preventDefault(); fly(b); } }},
                h('td', {}, digits(b.area / metres ** 2)), h('td', {}, digits(b.width / metres)), h('td', {class: 'left'}, b.at.map(v => digits(v / metres)).join(', ')), h('td', {class: 'left'}, b.zone)))))));
}
if (predicted) page.append(h('h2', {}, 'Predicted and built'), h('p', {id: 'predicted'}, `${grouped(predicted)} cells were predicted before anything was meshed, ${grouped(built)} were built: ` +
    `${Math.abs(100 * (built / predicted - 1)).toFixed(1)} % ${built > predicted ? 'more' : 'fewer'}.`));
if ((summary.stages || []).length) {
    const total = summary.stages.reduce((s, x) => s + x.seconds, 0);
    page.append(h('h2', {}, 'Time and memory'), h('p', {}, summary.stages.map(s => `${s.stage} ${digits(s.seconds, 3)} s`).join(', ') + `; together ${digits(total, 3)} s, ` +
        `${grouped(built / total)} cells a second, at most ${grouped(summary.stages[summary.stages.length - 1].peak_megabytes)} MB.`));
}
page.append(h('h2', {}, 'To do it again'), h('p', {}, `anvilcast ${summary.anvilcast}, `, h('code', {}, `anvilcast build ${summary.case.file} --out DIR`)), h('pre', {id: 'case'}, summary.case.text));

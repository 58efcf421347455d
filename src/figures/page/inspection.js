'use strict';
// What is in a surface, to click through.

const data = JSON.parse(document.getElementById('data').textContent);
const unit = data.unit, metres = kUnits[unit] || 1;
const page = document.getElementById('page');

page.append(h('h1', {}, data.source), h('p', {}, `${grouped(data.triangles)} triangles in ${data.zones.length} zones, ${data.extent.map(v => digits(v / metres)).join(' \u00d7 ')} ${unit}: right?`),
    h('p', {class: 'verdict' + (data.blocked ? ' bad' : ''), id: 'verdict'}, data.verdict));

const host = h('div', {class: 'view', id: 'view'}), side = h('div', {class: 'side'});
page.append(h('div', {class: 'stage'}, host, side));
const view = viewIn(host, data.box, unit);
window.view = view;
const surface = unpacked(data.surface, data.box, ['zone', 'zone_high']);
const zoneOf = f => surface.zone[f] + 256 * surface.zone_high[f];
const shown = data.zones.map(() => true);
let chosen = -1;

function drawSurface() {
    if (view) view.show('surface', surface, f => {
        const z = zoneOf(f);
        return !shown[z] ? null : z === chosen ? '#f5d547' : data.zones[z].colour;
    }, {edges: surface.counts.length < 20000 && !data.surface.simplified_from});
}

// The lines for the case file.
const box = h('div', {class: 'snippet', id: 'snippet', 'aria-live': 'polite'}, h('p', {class: 'soft'}, 'Click a patch, an opening or a volume: its lines for the case file appear here.'));
function offer(title, lines) {
    const pre = h('pre', {}, lines);
    const copy = h('button', {type: 'button', id: 'copy', click: async () => {
        try {
            await navigator.clipboard.writeText(lines);
            copy.textContent = 'copied';
        } catch (e) {
            const range = document.createRange();
            range.selectNodeContents(pre);
            getSelection().removeAllRanges();
            getSelection().addRange(range);
            copy.textContent = 'chosen: copy it with Ctrl+C';
        }
    }}, 'copy');
    box.replaceChildren(h('strong', {}, title), pre, copy);
}
const rounded = p => p.map(v => digits(v / metres, 6)).join(', ');
function chooseZone(z, place) {
    chosen = z;
    const zone = data.zones[z];
    offer(`${zone.name}: ${digits(zone.area / metres ** 2)} ${unit}\u00b2, ${grouped(zone.triangles)} triangles`,
        `[[zone]]\nname = "${zone.name}"\nrole = "${zone.role}"  # inlet outlet open wall slip symmetry farfield axis baffle\nnear = [${rounded(place || zone.place)}]\n`);
    for (const r of document.querySelectorAll('tr[data-zone]')) r.classList.toggle('chosen', Number(r.dataset.zone) === z);
    drawSurface();
}
if (view) view.onClick((x, y) => {
    const hit = view.pick('surface', x, y);
    if (hit) chooseZone(zoneOf(hit.polygon), hit.place);
});
side.append(h('h3', {}, 'For the case file'), box);
host.append(h('div', {class: 'note'}, 'Click a patch to name it. Drag or arrow keys turn, wheel or + and \u2212 zoom, right button moves.' +
    (data.surface.simplified_from ? ` Simplified for display: ${grouped(data.surface.faces)} of ${grouped(data.surface.simplified_from)} triangles.` : '')));
drawSurface();

/** A table whose rows do something. */
function clickTable(id, heads, rows, run) {
    const body = rows.map((cells, i) => h('tr', {class: 'clickable', tabindex: 0, ['data-' + id]: i, click: () => run(i), keydown: e => { if (e.key === 'Enter' || e.key === ' ') { e.preventDefault(); run(i); } }},
        cells.map((c, k) => h('td', {class: k === cells.length - 1 && id === 'defect' ? 'wrap' : null}, c))));
    return h('div', {class: 'scroll'}, h('table', {id: id + 's'}, h('thead', {}, h('tr', {}, heads.map(t => h('th', {}, t)))), h('tbody', {}, body)));
}

if (data.openings.length) {
    page.append(h('h2', {}, 'Openings'), clickTable('opening', ['opening', `area, ${unit}\u00b2`, `hydraulic diameter, ${unit}`, `center, ${unit}`],
        data.openings.map((o, i) => [String(i + 1), digits(o.area / metres ** 2), digits(o.diameter / metres), placeText(o.center, metres)]), i => {
            const o = data.openings[i];
            offer(`Opening ${i + 1}`, o.snippet);
            if (view) view.flyTo(o.center, Math.max(5 * o.diameter, 0.05 * view.size));
        }));
    if (view) data.openings.forEach((o, i) => view.strokes('rim' + i, o.rim.flatMap((p, k) => [p, o.rim[(k + 1) % o.rim.length]]), '#0b6aa2'));
}
if (data.volumes.length) {
    page.append(h('h2', {}, 'Enclosed volumes'), clickTable('volume', ['volume', `${unit}\u00b3`, 'bounded by', 'point inside'],
        data.volumes.map((v, i) => [String(i + 1), digits(v.volume / metres ** 3), v.material ? 'the material of ' + v.material : v.zones.slice(0, 4).join(', ') + (v.zones.length > 4 ? ' \u2026' : ''), placeText(v.inside, metres)]), i => {
            const v = data.volumes[i];
            offer(`Volume ${i + 1}`, `[[region]]\nname = "region-${i + 1}"\nkind = "fluid"  # or "solid"\ninside = [${rounded(v.inside)}]\n`);
            if (view) {
                if (window.insideMark) view.scene.remove(window.insideMark);
                window.insideMark = view.mark(v.inside, '#0b6aa2', 26);
                view.draw();
            }
        }));
}
if (data.defects.length) {
    const rows = [], where = [];
    for (const d of data.defects)
        d.items.slice(0, 10).forEach((item, k) => {
            rows.push([k ? '' : `${d.name} (${grouped(d.count)})`, d.severity, item.size ? `${d.size_is} ${digits(item.size, 3)} (SI)` : '', placeText(item.place, metres), k ? '' : d.mend]);
            where.push(item.place);
            if (view) view.mark(item.place, d.severity === 'blocking' ? '#c81e1e' : '#d97a12', 16);
        });
    page.append(h('h2', {}, 'Defects'), clickTable('defect', ['found', 'severity', 'size', `place, ${unit}`, 'mend'], rows, i => { if (view) view.flyTo(where[i], 0.1 * view.size); }));
}
page.append(h('h2', {}, 'Zones'));
const table = clickTable('zone', ['zone', 'role', `area, ${unit}\u00b2`, 'triangles', `center, ${unit}`], data.zones.map(z => [h('span', {}, h('span', {class: 'swatch', style: `background:${z.colour}`}), ' ' + z.name),
    z.role + (z.role_is_guess ? ' (guess)' : ''), digits(z.area / metres ** 2), grouped(z.triangles), placeText(z.center, metres)]), i => {
    chooseZone(i);
    if (view) view.flyTo(data.zones[i].place, Math.max(0.15 * view.size, 2 * Math.sqrt(data.zones[i].area)));
});
page.append(table);
side.append(h('fieldset', {}, h('legend', {}, 'Show'), rowsOf(data.zones.slice(0, 200), (z, i) => h('label', {}, h('input', {type: 'checkbox', checked: true, 'data-zone': z.name, change: e => { shown[i] = e.target.checked; drawSurface(); }}),
    h('span', {class: 'swatch', style: `background:${z.colour}`}), z.name, h('span', {class: 'count'}, grouped(z.triangles))))));

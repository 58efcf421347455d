'use strict';
// The view of a surface that can be turned, and small tools that the pages share.

const bytesOf = text => Uint8Array.from(atob(text), c => c.charCodeAt(0));
function numbersOf(text, Type) {
    const b = bytesOf(text);
    return new Type(b.buffer, 0, b.byteLength / Type.BYTES_PER_ELEMENT);
}

/** Element with attributes (functions become listeners) and children. */
function h(tag, attributes = {}, ...children) {
    const e = document.createElement(tag);
    for (const [key, value] of Object.entries(attributes))
        if (typeof value === 'function') e.addEventListener(key, value);
        else if (value !== null && value !== undefined && value !== false) e.setAttribute(key, value === true ? '' : value);
    for (const c of children.flat(9)) if (c !== null && c !== undefined) e.append(c);
    return e;
}
const grouped = n => String(Math.round(n)).replace(/\B(?=(\d{3})+$)/g, '\u202f');
function digits(v, n = 4) {
    if (v === 0 || !isFinite(v)) return String(v);
    const a = Math.abs(v);
    return a >= 1e6 || a < 1e-4 ? v.toExponential(n - 1) : String(Number(v.toPrecision(n)));
}
const kUnits = {m: 1, cm: 0.01, mm: 0.001, um: 1e-6, km: 1000, in: 0.0254, ft: 0.3048};
const placeText = (p, metres) => '[' + p.map(v => digits(Math.abs(v) < 1e-9 ? 0 : v / metres, 5)).join(', ') + ']';

/** Polygons as the page holds them, with places in metres. */
function unpacked(polygons, box, tags) {
    const places = numbersOf(polygons.points, Float32Array);
    for (let i = 0; i < places.length; ++i) places[i] += box[0][i % 3];
    const out = {places, corners: numbersOf(polygons.corners, Uint32Array), counts: bytesOf(polygons.counts)};
    for (const t of tags) out[t] = bytesOf(polygons[t]);
    return out;
}

class View {
    constructor(host, box, unit) {
        this.host = host;
        this.metres = kUnits[unit] || 1;
        this.unit = unit;
        this.box = box;
        this.size = Math.hypot(...[0, 1, 2].map(k => box[1][k] - box[0][k])) || 1;
        this.middle = new THREE.Vector3(...[0, 1, 2].map(k => 0.5 * (box[0][k] + box[1][k])));
        this.renderer = new THREE.WebGLRenderer({antialias: true, preserveDrawingBuffer: true});
        this.renderer.setPixelRatio(Math.min(window.devicePixelRatio || 1, 2));
        this.renderer.localClippingEnabled = true;
        this.canvas = this.renderer.domElement;
        this.canvas.tabIndex = 0;
        this.canvas.setAttribute('role', 'img');
        this.canvas.setAttribute('aria-label', 'The mesh in space. Arrow keys turn it, plus and minus zoom, Home shows all.');
        host.prepend(this.canvas);
        this.scene = new THREE.Scene();
        const style = getComputedStyle(host);
        this.scene.background = new THREE.Color(style.backgroundColor);
        this.ink = new THREE.Color(style.color);
        this.camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -50 * this.size, 50 * this.size);
        this.camera.up.set(0, 0, 1);
        this.scene.add(this.camera, new THREE.AmbientLight(0xffffff, 0.5));
        const lamp = new THREE.DirectionalLight(0xffffff, 0.62);
        lamp.position.set(-0.5, 0.6, 1);
        this.camera.add(lamp);
        this.controls = new THREE.OrbitControls(this.camera, this.canvas);
        this.controls.enableKeys = false;
        this.controls.screenSpacePanning = true;
        this.controls.addEventListener('change', () => this.draw());
        this.canvas.addEventListener('keydown', e => this.key(e));
        this.bar = h('div', {class: 'bar', 'aria-hidden': 'true'});
        host.append(this.bar);
        this.models = {};
        this.marks = [];
        new ResizeObserver(() => this.resize()).observe(host);
        this.resize();
        this.look([0.62, -1, 0.5]);
    }

    resize() {
        const w = this.host.clientWidth, ht = this.host.clientHeight;
        if (!w || !ht) return;
        this.renderer.setSize(w, ht, false);
        const half = 0.47 * this.size;
        const wide = w / ht > 1 ? w / ht : 1, high = w / ht > 1 ? 1 : ht / w;
        Object.assign(this.camera, {left: -half * wide, right: half * wide, top: half * high, bottom: -half * high});
        this.camera.updateProjectionMatrix();
        this.draw();
    }

    /** What is shown first is this box, and again from each of the directions. */
    begin(box) {
        this.middle = new THREE.Vector3(...[0, 1, 2].map(k => 0.5 * (box[0][k] + box[1][k])));
        this.zoom = this.size / (Math.hypot(...[0, 1, 2].map(k => box[1][k] - box[0][k])) || this.size);
        this.look(kViews.corner);
    }

    /** Everything, or what there is to begin with, from a direction. */
    look(from) {
        this.controls.target.copy(this.middle);
        this.camera.zoom = this.zoom || 1;
        const d = new THREE.Vector3(...from).normalize();
        if (Math.abs(d.z) > 0.999) d.set(0, -0.02, Math.sign(d.z)).normalize();
        this.camera.position.copy(this.middle).addScaledVector(d, this.size);
        this.camera.updateProjectionMatrix();
        this.controls.update();
        this.draw();
    }

    /** Moves to a place so that `across` metres are seen. */
    flyTo(place, across) {
        const from = this.controls.target.clone(), to = new THREE.Vector3(...place);
        const offset = this.camera.position.clone().sub(from);
        const zoom = [this.camera.zoom, Math.max(0.2, 1.1 * this.size / across)];
        const still = window.matchMedia('(prefers-reduced-motion: reduce)').matches;
        const start = performance.now();
        const step = now => {
            const t = still ? 1 : Math.min(1, (now - start) / 450), s = t * t * (3 - 2 * t);
            this.controls.target.lerpVectors(from, to, s);
            this.camera.position.copy(this.controls.target).add(offset);
            this.camera.zoom = zoom[0] * Math.pow(zoom[1] / zoom[0], s);
            this.camera.updateProjectionMatrix();
            this.controls.update();
            this.draw();
            if (t < 1) requestAnimationFrame(step);
        };
        step(start);
        this.canvas.scrollIntoView({block: 'nearest'});
    }

    key(e) {
        const turn = {ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1]}[e.key];
        const zoom = {'+': 1.2, '=': 1.2, '-': 1 / 1.2}[e.key];
        if (turn) {
            const s = new THREE.Spherical(), up = new THREE.Quaternion().setFromUnitVectors(this.camera.up, new THREE.Vector3(0, 1, 0));
            const d = this.camera.position.clone().sub(this.controls.target).applyQuaternion(up);
            s.setFromVector3(d);
            s.theta += 0.12 * turn[0];
            s.phi = Math.min(Math.PI - 0.02, Math.max(0.02, s.phi + 0.12 * turn[1]));
            d.setFromSpherical(s).applyQuaternion(up.inverse());
            this.camera.position.copy(this.controls.target).add(d);
        } else if (zoom) {
            this.camera.zoom *= zoom;
            this.camera.updateProjectionMatrix();
        } else if (e.key === 'Home') {
            this.look([0.62, -1, 0.5]);
        } else {
            return;
        }
        e.preventDefault();
        this.controls.update();
        // Who follows this view hears of zooming too.
        this.controls.dispatchEvent({type: 'change'});
    }

    /** A named model of polygons; colourOf(polygon) gives "#rrggbb", or null for one that is hidden. */
    show(name, polygons, colourOf, options = {}) {
        this.hide(name);
        const {places, corners, counts} = polygons;
        let nTriangles = 0;
        const colours = [];
        for (let f = 0; f < counts.length; ++f) {
            colours.push(colourOf(f));
            if (colours[f]) nTriangles += counts[f] - 2;
        }
        const position = new Float32Array(9 * nTriangles), colour = new Float32Array(9 * nTriangles), owner = new Uint32Array(nTriangles);
        const lines = [], cache = {};
        let t = 0, first = 0;
        for (let f = 0; f < counts.length; first += counts[f++]) {
            if (!colours[f]) continue;
            const c = cache[colours[f]] || (cache[colours[f]] = new THREE.Color(colours[f]));
            for (let k = 2; k < counts[f]; ++k, ++t) {
                owner[t] = f;
                [corners[first], corners[first + k - 1], corners[first + k]].forEach((p, i) => {
                    for (let axis = 0; axis < 3; ++axis) position[9 * t + 3 * i + axis] = places[3 * p + axis];
                    colour[9 * t + 3 * i] = c.r, colour[9 * t + 3 * i + 1] = c.g, colour[9 * t + 3 * i + 2] = c.b;
                });
            }
            if (options.edges !== false)
                for (let k = 0; k < counts[f]; ++k) {
                    const a = corners[first + k], b = corners[first + (k + 1) % counts[f]];
                    if (a < b) lines.push(a, b);
                }
        }
        const geometry = new THREE.BufferGeometry();
        geometry.setAttribute('position', new THREE.BufferAttribute(position, 3));
        geometry.setAttribute('color', new THREE.BufferAttribute(colour, 3));
        geometry.computeVertexNormals();
        const clippingPlanes = options.clip ? [options.clip] : [];
        const mesh = new THREE.Mesh(geometry, new THREE.MeshLambertMaterial({
            vertexColors: THREE.VertexColors, side: THREE.DoubleSide, polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1,
            clippingPlanes}));
        mesh.userData.owner = owner;
        this.models[name] = [mesh];
        this.scene.add(mesh);
        if (lines.length) {
            const edge = new THREE.BufferGeometry();
            edge.setAttribute('position', new THREE.BufferAttribute(places, 3));
            edge.setIndex(new THREE.BufferAttribute(new Uint32Array(lines), 1));
            const segments = new THREE.LineSegments(edge, new THREE.LineBasicMaterial({color: 0x10161b, transparent: true, opacity: 0.28, clippingPlanes}));
            this.models[name].push(segments);
            this.scene.add(segments);
        }
        this.draw();
        return nTriangles;
    }

    hide(name) {
        for (const m of this.models[name] || []) {
            this.scene.remove(m);
            m.geometry.dispose();
            m.material.dispose();
        }
        delete this.models[name];
        this.draw();
    }

    /** Lines over everything: pairs of places. */
    strokes(name, places, colour) {
        this.hide(name);
        const g = new THREE.BufferGeometry();
        g.setAttribute('position', new THREE.BufferAttribute(new Float32Array(places.flat()), 3));
        const lines = new THREE.LineSegments(g, new THREE.LineBasicMaterial({color: colour, depthTest: false}));
        lines.renderOrder = 2;
        this.models[name] = [lines];
        this.scene.add(lines);
        this.draw();
    }

    /** A ring that keeps its size on the screen. */
    mark(place, colour, pixels = 22) {
        if (!this.ring) {
            const c = h('canvas', {width: 64, height: 64}), g = c.getContext('2d');
            g.lineWidth = 9;
            g.strokeStyle = '#fff';
            g.beginPath();
            g.arc(32, 32, 24, 0, 7);
            g.stroke();
            this.ring = new THREE.CanvasTexture(c);
        }
        const s = new THREE.Sprite(new THREE.SpriteMaterial({map: this.ring, color: colour, depthTest: false, transparent: true}));
        s.position.set(...place);
        s.renderOrder = 3;
        s.userData.pixels = pixels;
        this.marks.push(s);
        this.scene.add(s);
        return s;
    }

    /** The polygon of a model that is under a place of the window, or -1; and where. */
    pick(name, x, y) {
        const r = this.canvas.getBoundingClientRect(), ray = new THREE.Raycaster();
        ray.setFromCamera(new THREE.Vector2(2 * (x - r.left) / r.width - 1, 1 - 2 * (y - r.top) / r.height), this.camera);
        // The eye of this camera is behind all there is.
        ray.ray.origin.addScaledVector(ray.ray.direction, -20 * this.size);
        const mesh = (this.models[name] || [])[0];
        const hit = mesh ? ray.intersectObject(mesh)[0] : null;
        return hit ? {polygon: mesh.userData.owner[hit.faceIndex], place: hit.point.toArray()} : null;
    }

    /** Calls back on clicks that do not turn the view. */
    onClick(callback) {
        let down = null;
        this.canvas.addEventListener('pointerdown', e => down = [e.clientX, e.clientY]);
        this.canvas.addEventListener('pointerup', e => {
            if (down && Math.hypot(e.clientX - down[0], e.clientY - down[1]) < 5) callback(e.clientX, e.clientY);
            down = null;
        });
    }

    draw() {
        if (this.waiting) return;
        this.waiting = true;
        requestAnimationFrame(() => {
            this.waiting = false;
            const metresPerPixel = (this.camera.right - this.camera.left) / this.camera.zoom / Math.max(1, this.host.clientWidth);
            for (const s of this.marks) s.scale.setScalar(s.userData.pixels * metresPerPixel);
            const most = 110 * metresPerPixel / this.metres, power = Math.pow(10, Math.floor(Math.log10(most)));
            const length = [5, 2, 1].map(m => m * power).find(v => v <= most) || power;
            this.bar.style.width = length * this.metres / metresPerPixel + 'px';
            this.bar.textContent = digits(length) + ' ' + this.unit;
            this.renderer.render(this.scene, this.camera);
        });
    }

    /** For tests: where the camera looks and how close. */
    state() { return {target: this.controls.target.toArray(), position: this.camera.position.toArray(), zoom: this.camera.zoom}; }
}

const kViews = {corner: [0.62, -1, 0.5], front: [0, -1, 0], right: [1, 0, 0], top: [0, 0, 1]};
function viewButtons(view) {
    return h('div', {class: 'tools'}, Object.entries(kViews).map(([name, from]) => h('button', {type: 'button', click: () => view.look(from)}, name)));
}

/** The view, or, where there is no WebGL, a sentence in its place. */
function viewIn(host, box, unit) {
    try {
        const view = new View(host, box, unit);
        host.append(viewButtons(view));
        return view;
    } catch (e) {
        host.append(h('p', {class: 'note'}, 'There is no WebGL here, so the view stays empty; tables and histograms are complete.'));
        return null;
    }
}

/** A few rows, and the others behind a line that says how many. */
function rowsOf(list, row, few = 10) {
    const rows = list.map(row);
    if (rows.length <= few + 2) return rows;
    return [...rows.slice(0, few), h('details', {}, h('summary', {}, `${rows.length - few} more`), rows.slice(few))];
}

function ramp(colours, low, high) {
    return [h('div', {class: 'ramp', style: `background: linear-gradient(90deg, ${colours.join(',')})`}),
            h('div', {class: 'ends'}, h('span', {}, low), h('span', {}, high))];
}
const onScale = (colours, t) => colours[Math.round(Math.min(1, Math.max(0, t)) * (colours.length - 1))];

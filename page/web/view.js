// The eye in space: it orbits, pans and zooms; places to pixels, and back in the plane of view.
/* global THREE */

const FOV_DEG = 30;
const MOST_PLACES = 4000;
const TOWARD = {
  side: [0, 0, 1],
  top: [0, 1, 0],
  end: [-1, 0, 0],
  slanted: [Math.sin(0.6) * Math.cos(0.45), Math.sin(0.45), Math.cos(0.6) * Math.cos(0.45)],
};

export const ink = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** Draws scenes onto one canvas; does nothing where the browser has no WebGL. */
class Renderer {
  constructor(canvas) {
    this.canvas = canvas;
    const quick = canvas.getContext('webgl', { alpha: true, antialias: true, failIfMajorPerformanceCaveat: true });
    // Where the processor does the drawing, smooth edges and many pixels cost too much.
    const context = quick ?? canvas.getContext('webgl', { alpha: true, antialias: false });
    this.share = quick ? 1 : 0.6;
    this.renderer = context ? new THREE.WebGLRenderer({ canvas, context, alpha: true }) : null;
  }

  draw(scene, camera, width, height) {
    if (!this.renderer) return;
    const ratio = this.share * (window.devicePixelRatio || 1);
    if (this.width !== width || this.height !== height || this.ratio !== ratio) {
      Object.assign(this, { width, height, ratio });
      this.renderer.setPixelRatio(ratio);
      this.renderer.setSize(width, height, false);
    }
    this.renderer.render(scene, camera);
  }

  /** Into a corner of the canvas, and from there into a picture; what is on the canvas is lost. */
  drawInto(context, scene, camera, left, top, width, height) {
    const { renderer, canvas } = this;
    const ratio = renderer.getPixelRatio();
    renderer.setViewport(0, 0, width, height);
    renderer.setScissor(0, 0, width, height);
    renderer.setScissorTest(true);
    renderer.render(scene, camera);
    renderer.setScissorTest(false);
    renderer.setViewport(0, 0, this.width, this.height);
    context.drawImage(canvas, 0, canvas.height - ratio * height, ratio * width, ratio * height, left, top, width, height);
  }
}

function pointIn(camera, width, height, place) {
  const at = new THREE.Vector3(...place).project(camera);
  return [(at.x + 1) / 2 * width, (1 - at.y) / 2 * height];
}

/** Metres a pixel at a place. */
function metresPerPixelIn(camera, height, place) {
  const way = new THREE.Vector3(...place).sub(camera.position)
    .dot(camera.getWorldDirection(new THREE.Vector3()));
  return 2 * Math.max(way, camera.near) * Math.tan(THREE.Math.degToRad(FOV_DEG / 2)) / height;
}

export class View {
  constructor(canvas, onChange) {
    this.canvas = canvas;
    this.scene = new THREE.Scene();
    this.camera = new THREE.PerspectiveCamera(FOV_DEG, 1, 0.01, 1e5);
    this.scene.add(this.camera, new THREE.HemisphereLight(0xffffff, 0x7c8894, 0.62));
    const light = new THREE.DirectionalLight(0xffffff, 0.38);
    light.position.set(-0.4, 0.8, 0.6);
    this.camera.add(light); // goes with the eye: what is looked at is lit
    this.box = new THREE.Box3();
    this.extent = [];
    this.main = new Renderer(canvas);
    this.controls = new THREE.OrbitControls(this.camera, canvas);
    this.controls.enableKeys = false; // the arrow keys move targets
    this.controls.screenSpacePanning = true;
    this.controls.addEventListener('change', onChange);
    this.toward = TOWARD.side;
  }

  get hasPicture() {
    return this.main.renderer !== null;
  }

  /** From which side: "side", "top", "end" or "slanted". */
  from(side) {
    this.toward = TOWARD[side] ?? TOWARD.side;
  }

  forgetExtent() {
    this.box.makeEmpty();
    this.extent = []; // places and reaches
  }

  /** Makes room for a place with something of that reach on it. */
  takeIn(place, reach) {
    const point = new THREE.Vector3(...place);
    if (!Number.isFinite(point.x + point.y + point.z)) return;
    this.extent.push({ point, reach });
    if (this.extent.length > MOST_PLACES) this.extent = this.extent.filter((each, i) => i % 2 === 0);
    this.box.expandByPoint(point.clone().addScalar(-reach));
    this.box.expandByPoint(point.clone().addScalar(reach));
  }

  /** Puts a camera where all there is can be seen. */
  #place(camera, toward) {
    const centre = this.box.isEmpty() ? new THREE.Vector3() : this.box.getCenter(new THREE.Vector3());
    const up = Math.abs(toward.y) > 0.99 ? new THREE.Vector3(0, 0, -1) : new THREE.Vector3(0, 1, 0);
    const right = new THREE.Vector3().crossVectors(up, toward).normalize();
    const top = new THREE.Vector3().crossVectors(toward, right);
    const high = Math.tan(THREE.Math.degToRad(FOV_DEG / 2));
    const at = new THREE.Vector3();
    const wayToSee = () => this.extent.reduce((way, { point, reach }) => {
      at.subVectors(point, centre);
      return Math.max(way, at.dot(toward) + 1.28 * (Math.abs(at.dot(top)) + reach) / high,
        at.dot(toward) + 1.08 * (Math.abs(at.dot(right)) + reach) / (high * camera.aspect));
    }, 1e-3);
    let way = this.extent.length > 0 ? wayToSee() : 5;
    // Into the middle of what is seen: what is near takes more room than what is far.
    for (let turn = 0; turn < 4 && this.extent.length > 0; turn += 1) {
      for (const axis of [right, top]) {
        let low = Infinity;
        let most = -Infinity;
        for (const { point, reach } of this.extent) {
          at.subVectors(point, centre);
          const depth = way - at.dot(toward);
          low = Math.min(low, (at.dot(axis) - reach) / depth);
          most = Math.max(most, (at.dot(axis) + reach) / depth);
        }
        centre.addScaledVector(axis, way * (low + most) / 2);
      }
      way = wayToSee();
    }
    camera.position.copy(centre).addScaledVector(toward, way);
    camera.near = way / 500;
    camera.far = way * 200;
    camera.updateProjectionMatrix();
    return centre;
  }

  /** Back to where all of it is in sight, from the side it is looked at by default. */
  fit() {
    this.#measure();
    const toward = new THREE.Vector3(...this.toward);
    this.controls.target.copy(this.#place(this.camera, toward));
    this.controls.update();
    this.camera.updateMatrixWorld();
    this.isFitted = true;
  }

  #measure() {
    this.width = this.canvas.clientWidth;
    this.height = this.canvas.clientHeight;
    const aspect = this.width / Math.max(1, this.height);
    if (this.camera.aspect === aspect) return;
    this.camera.aspect = aspect;
    this.camera.updateProjectionMatrix();
  }

  /** False when there is no room to draw in. */
  begin() {
    this.#measure();
    if (this.width === 0 || this.height === 0) return false;
    if (!this.isFitted) this.fit();
    this.camera.updateMatrixWorld();
    return true;
  }

  draw() {
    this.main.draw(this.scene, this.camera, this.width, this.height);
  }

  /** The same from the same side onto another canvas, all of it in sight; where places are seen there. */
  drawInto(context, left, top, width, height) {
    if (!this.main.width || width < 2 || height < 2) return null; // nothing has been drawn yet
    const camera = this.camera.clone();
    camera.aspect = width / height;
    const toward = this.camera.getWorldDirection(new THREE.Vector3()).negate();
    const centre = this.#place(camera, toward);
    camera.lookAt(centre);
    this.main.drawInto(context, this.scene, camera, left, top, width, height);
    return {
      point: (place) => {
        const [x, y] = pointIn(camera, width, height, place);
        return [left + x, top + y];
      },
      metresPerPixel: (place) => metresPerPixelIn(camera, height, place),
    };
  }

  point(place) {
    return pointIn(this.camera, this.width, this.height, place);
  }

  metresPerPixel(place) {
    return metresPerPixelIn(this.camera, this.height, place);
  }

  /** The place that is so many pixels from another, in the plane of view through it. */
  moved(place, dx, dy) {
    const size = this.metresPerPixel(place);
    const right = new THREE.Vector3().setFromMatrixColumn(this.camera.matrixWorld, 0);
    const up = new THREE.Vector3().setFromMatrixColumn(this.camera.matrixWorld, 1);
    return new THREE.Vector3(...place).addScaledVector(right, dx * size).addScaledVector(up, -dy * size).toArray();
  }

  /** To the right and onward as it is looked at: over the ground, unless it is seen from the side. */
  ways() {
    const right = new THREE.Vector3().setFromMatrixColumn(this.camera.matrixWorld, 0);
    const up = new THREE.Vector3().setFromMatrixColumn(this.camera.matrixWorld, 1);
    const ground = new THREE.Vector3(up.x, 0, up.z);
    const isTilted = ground.length() > 0.25;
    return { right: right.toArray(), ahead: (isTilted ? ground.normalize() : up).toArray() };
  }

  get isFromAbove() {
    return this.camera.getWorldDirection(new THREE.Vector3()).y < -0.5;
  }
}

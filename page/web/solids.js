// What is seen in space: shapes of bodies, and tubes through rows of points.
/* global THREE */

const DIAMOND = { corners: [[0, 0, 0.75], [0, 0, -0.25], [0.17, 0, 0], [-0.17, 0, 0], [0, 0.17, 0], [0, -0.17, 0]],
  faces: [[0, 2, 4], [0, 4, 3], [0, 3, 5], [0, 5, 2], [1, 4, 2], [1, 3, 4], [1, 5, 3], [1, 2, 5]] };

function diamond() {
  const geometry = new THREE.BufferGeometry();
  const numbers = DIAMOND.faces.flatMap((face) => face.flatMap((i) => DIAMOND.corners[i]));
  geometry.setAttribute('position', new THREE.Float32BufferAttribute(numbers, 3));
  geometry.computeVertexNormals();
  return geometry;
}

/** A flat arrow along Z, as thick as it takes to be seen from the side. */
function arrow() {
  const outline = new THREE.Shape([[0, 0.5], [0.2, 0.1], [0.07, 0.1], [0.07, -0.5], [-0.07, -0.5], [-0.07, 0.1], [-0.2, 0.1]]
    .map(([x, y]) => new THREE.Vector2(x, y)));
  return new THREE.ExtrudeBufferGeometry(outline, { depth: 0.05, bevelEnabled: false })
    .translate(0, 0, -0.025).rotateX(Math.PI / 2);
}

const MAKERS = {
  diamond,
  arrow,
  box: () => new THREE.BoxBufferGeometry(0.5, 0.5, 1),
  disc: () => new THREE.SphereBufferGeometry(0.5, 32, 20),
};
const made = new Map();

/** Flat faces, each cut into triangles from its first corner. */
function faceted({ corners, faces }) {
  const geometry = new THREE.BufferGeometry();
  const numbers = faces.flatMap((face) => face.slice(2)
    .flatMap((_, i) => [face[0], face[i + 1], face[i + 2]].flatMap((corner) => corners[corner])));
  geometry.setAttribute('position', new THREE.Float32BufferAttribute(numbers, 3));
  geometry.computeVertexNormals();
  return geometry;
}

/** A body's own solid, or the shape of length 1 along Z that its name says. */
function shapeOf(body) {
  if (body.solid) {
    if (!made.has(body.solid)) made.set(body.solid, faceted(body.solid));
    return made.get(body.solid);
  }
  if (!made.has(body.shape)) made.set(body.shape, MAKERS[body.shape]());
  return made.get(body.shape);
}

export function solid(body, colour, opacity = 1) {
  const material = new THREE.MeshLambertMaterial({ color: colour, transparent: opacity < 1, opacity,
    depthWrite: opacity === 1 });
  return new THREE.Mesh(shapeOf(body), material);
}

/** What never moves. */
export function scenery(scene) {
  return scene.scenery.map((each) => solid(each, each.colour));
}

/** Its edges alone: what it is compared with. */
export function outline(body, colour) {
  const edges = new THREE.EdgesGeometry(shapeOf(body), body.shape === 'disc' ? 1 : 20);
  const material = new THREE.LineBasicMaterial({ color: colour, transparent: true, opacity: 0.85 });
  return new THREE.LineSegments(edges, material);
}

const SIDES = 10;
const PARTS = 4; // of a link, so that it bends smoothly

/** On the smooth curve through the points: between `i` and the one after it. */
function onCurve(points, i, part, out) {
  const from = points[i];
  const to = points[i + 1] ?? from;
  const before = points[i - 1] ?? from;
  const beyond = points[i + 2] ?? to;
  for (let k = 0; k < 3; k += 1) {
    const slope = (to[k] - before[k]) / 2;
    const slopeAfter = (beyond[k] - from[k]) / 2;
    const gap = to[k] - from[k];
    out[k] = from[k] + part * (slope + part * (3 * gap - 2 * slope - slopeAfter
      + part * (slope + slopeAfter - 2 * gap)));
  }
}

/** The same on the straight line. */
function onLine(points, i, part, out) {
  const to = points[i + 1] ?? points[i];
  for (let k = 0; k < 3; k += 1) out[k] = points[i][k] + part * (to[k] - points[i][k]);
}

const along = (list, share, otherwise) => {
  if (list.length === 0) return otherwise;
  const at = share * (list.length - 1);
  const i = Math.min(list.length - 1, Math.floor(at));
  return list[i] + (at - i) * ((list[i + 1] ?? list[i]) - list[i]);
};

/** Rings of vertices that move, joined to tubes. */
class RingMesh {
  constructor(vertices, colours, faces, opacity) {
    this.places = new THREE.Float32BufferAttribute(new Float32Array(3 * vertices), 3);
    this.normals = new THREE.Float32BufferAttribute(new Float32Array(3 * vertices), 3);
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute('position', this.places);
    geometry.setAttribute('normal', this.normals);
    geometry.setAttribute('color', new THREE.Float32BufferAttribute(colours, 3));
    geometry.setIndex(faces);
    this.mesh = new THREE.Mesh(geometry, new THREE.MeshLambertMaterial({ vertexColors: THREE.VertexColors,
      transparent: opacity < 1, opacity, depthWrite: opacity === 1 }));
    this.mesh.frustumCulled = false;
  }

  /** Of so many vertices from `first` on, round a centre. */
  ring(first, sides, centre, across, other, radius) {
    for (let side = 0; side < sides; side += 1) {
      const angle = 2 * Math.PI * side / sides;
      const [c, s] = [Math.cos(angle), Math.sin(angle)];
      const n = [c * across.x + s * other.x, c * across.y + s * other.y, c * across.z + s * other.z];
      this.normals.setXYZ(first + side, ...n);
      this.places.setXYZ(first + side, centre.x + radius * n[0], centre.y + radius * n[1], centre.z + radius * n[2]);
    }
  }

  moved() {
    this.places.needsUpdate = true;
    this.normals.needsUpdate = true;
  }
}

/** The faces between two rings, one after the other from `first` on. */
function facesBetween(first, sides) {
  return Array.from({ length: sides }, (_, side) => {
    const a = first + side;
    const b = first + (side + 1) % sides;
    return [a, b, a + sides, b, b + sides, a + sides];
  }).flat();
}

/** A colour between those of a profile, as three numbers. */
function mixedOf(colours, share) {
  const all = colours.map((each) => new THREE.Color(each));
  return ['r', 'g', 'b'].map((part) => along(all.map((each) => each[part]), share, 0.5));
}

/** A tube through points that move; its thickness and colours go from the first to the last. */
class Tube extends RingMesh {
  constructor(count, radii, colours, opacity = 1, isSmooth = true) {
    const rings = (count - 1) * PARTS + 1;
    const numbers = Array.from({ length: rings }, (_, ring) => {
      const colour = mixedOf(colours, ring / Math.max(1, rings - 1));
      return Array.from({ length: SIDES }, () => colour).flat();
    });
    const faces = Array.from({ length: rings - 1 }, (_, ring) => facesBetween(ring * SIDES, SIDES));
    super(rings * SIDES, numbers.flat(), faces.flat(), opacity);
    this.placeOn = isSmooth ? onCurve : onLine;
    this.rings = rings;
    this.radii = radii;
  }

  /** Where it is now; never thinner than `thinnest`. */
  update(points, thinnest) {
    const place = [0, 0, 0];
    const before = new THREE.Vector3();
    const now = new THREE.Vector3();
    const after = new THREE.Vector3();
    const direction = new THREE.Vector3();
    const across = new THREE.Vector3();
    const other = new THREE.Vector3();
    const at = (ring, out) => {
      const clamped = Math.min(this.rings - 1, Math.max(0, ring));
      this.placeOn(points, Math.floor(clamped / PARTS), (clamped % PARTS) / PARTS, place);
      out.set(...place);
    };
    for (let ring = 0; ring < this.rings; ring += 1) {
      at(ring - 1, before);
      at(ring, now);
      at(ring + 1, after);
      direction.subVectors(after, before);
      if (direction.lengthSq() > 0) direction.normalize();
      else direction.set(0, 0, 1);
      // Carried on from ring to ring, so that it does not twist.
      if (ring === 0) across.set(Math.abs(direction.x) < 0.9 ? 1 : 0, Math.abs(direction.x) < 0.9 ? 0 : 1, 0);
      across.addScaledVector(direction, -across.dot(direction));
      if (across.lengthSq() < 1e-12) across.set(direction.y, direction.z, direction.x).cross(direction);
      across.normalize();
      other.crossVectors(direction, across);
      const radius = Math.max(thinnest, along(this.radii, ring / Math.max(1, this.rings - 1), 0));
      this.ring(ring * SIDES, SIDES, now, across, other, radius);
    }
    this.moved();
  }
}

/** Triangles of points that move, seen from both sides. */
class Sheet {
  constructor(count, triangles, colour, opacity = 1) {
    this.places = new THREE.Float32BufferAttribute(new Float32Array(3 * count), 3);
    this.geometry = new THREE.BufferGeometry();
    this.geometry.setAttribute('position', this.places);
    this.geometry.setIndex(triangles.flat());
    this.mesh = new THREE.Mesh(this.geometry, new THREE.MeshLambertMaterial({ color: colour,
      side: THREE.DoubleSide, transparent: opacity < 1, opacity, depthWrite: opacity === 1 }));
    this.mesh.frustumCulled = false;
  }

  update(points) {
    points.forEach((point, i) => this.places.setXYZ(i, point[0], point[1], point[2]));
    this.places.needsUpdate = true;
    this.geometry.computeVertexNormals();
  }
}

/** Straight branches, each from the end of its parent, as thick as it is. */
class Branches extends RingMesh {
  static sides = 6;

  constructor(parents, radii, colours, opacity) {
    const vertices = 2 * Branches.sides;
    const most = radii.reduce((a, b) => Math.max(a, b), 0);
    const least = radii.reduce((a, b) => Math.min(a, b), most);
    // From the thickest branch to the thinnest, on a logarithmic scale.
    const numbers = radii.map((radius) => {
      const share = most > least ? Math.log(most / radius) / Math.log(most / least) : 0;
      const colour = mixedOf(colours, share);
      return Array.from({ length: vertices }, () => colour).flat();
    });
    const faces = parents.map((parent, branch) =>
      (parent === branch ? [] : facesBetween(vertices * branch, Branches.sides)));
    super(vertices * parents.length, numbers.flat(), faces.flat(), opacity);
    this.parents = parents;
    this.radii = radii;
  }

  /** Where they are now; never thinner than `thinnest`. */
  update(points, thinnest) {
    const from = new THREE.Vector3();
    const to = new THREE.Vector3();
    const direction = new THREE.Vector3();
    const across = new THREE.Vector3();
    const other = new THREE.Vector3();
    this.parents.forEach((parent, branch) => {
      if (parent === branch) return;
      from.set(...points[parent]);
      to.set(...points[branch]);
      direction.subVectors(to, from).normalize();
      across.set(Math.abs(direction.x) < 0.9 ? 1 : 0, Math.abs(direction.x) < 0.9 ? 0 : 1, 0);
      across.addScaledVector(direction, -across.dot(direction)).normalize();
      other.crossVectors(direction, across);
      const radius = Math.max(thinnest, this.radii[branch]);
      const { sides } = Branches;
      this.ring(2 * sides * branch, sides, from, across, other, radius);
      this.ring(2 * sides * branch + sides, sides, to, across, other, radius);
    });
    this.moved();
  }
}

/** What a row of points is seen as. */
export function madeOf(line, colours, opacity) {
  if (line.kind === 'mesh') return new Sheet(line.count, line.triangles, colours[0], opacity);
  if (line.kind === 'branches') return new Branches(line.parents, line.radius_m, colours, opacity);
  return new Tube(line.count, line.radius_m, colours, opacity, line.smooth);
}

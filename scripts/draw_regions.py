#!/usr/bin/python3
"""Draws a mesh (VTU) of one or several regions as a picture: its cells cut open by a plane, a colour for each region,
and some zones as surfaces.

    draw_regions.py mesh.vtu picture.png --plane x y z nx ny nz --look x y z --from x y z [--angle degrees] [--zones name...]

Needs Debian's python3-vtk9; no display. For the pictures in docs/screenshots.
"""
import argparse
import vtk

parser = argparse.ArgumentParser()
parser.add_argument("mesh")
parser.add_argument("picture")
parser.add_argument("--plane", type=float, nargs=6, required=True)
parser.add_argument("--look", type=float, nargs=3, required=True)
parser.add_argument("--from", type=float, nargs=3, required=True, dest="eye")
parser.add_argument("--angle", type=float, default=26)
parser.add_argument("--zones", nargs="*", default=[])
a = parser.parse_args()

REGIONS = [(0.80, 0.89, 0.92), (0.87, 0.55, 0.30), (0.72, 0.62, 0.50), (0.55, 0.66, 0.45)]
ZONES = [(0.93, 0.88, 0.78), (0.70, 0.35, 0.28), (0.45, 0.48, 0.52), (0.62, 0.70, 0.60), (0.85, 0.86, 0.84)]

reader = vtk.vtkXMLUnstructuredGridReader()
reader.SetFileName(a.mesh)
reader.Update()
grid = reader.GetOutput()
fields = grid.GetFieldData()
strings = lambda name: [fields.GetAbstractArray(name).GetValue(i) for i in range(fields.GetAbstractArray(name).GetNumberOfTuples())]
filters = []
renderer = vtk.vtkRenderer()
renderer.SetBackground(1, 1, 1)


def threshold(source, array, low, high):
    t = vtk.vtkThreshold()
    t.SetInputConnection(source)
    t.SetInputArrayToProcess(0, 0, 0, vtk.vtkDataObject.FIELD_ASSOCIATION_CELLS, array)
    t.SetLowerThreshold(low)
    t.SetUpperThreshold(high)
    t.SetThresholdFunction(vtk.vtkThreshold.THRESHOLD_BETWEEN)
    filters.append(t)  # an output port does not keep its filter alive
    return t.GetOutputPort()


def show(port, colour, in_front=0):
    skin = vtk.vtkDataSetSurfaceFilter()
    skin.SetInputConnection(port)
    mapper = vtk.vtkPolyDataMapper()
    mapper.SetInputConnection(skin.GetOutputPort())
    mapper.ScalarVisibilityOff()
    mapper.SetResolveCoincidentTopologyToPolygonOffset()
    mapper.SetRelativeCoincidentTopologyPolygonOffsetParameters(-4 * in_front, -4 * in_front)
    actor = vtk.vtkActor()
    actor.SetMapper(mapper)
    p = actor.GetProperty()
    p.SetColor(*colour)
    p.EdgeVisibilityOn()
    p.SetEdgeColor(0.16, 0.20, 0.24)
    p.SetLineWidth(1)
    p.SetAmbient(0.35)
    p.SetDiffuse(0.7)
    renderer.AddActor(actor)


entries = []
plane = vtk.vtkPlane()
plane.SetOrigin(a.plane[:3])
plane.SetNormal(a.plane[3:])
cells = threshold(reader.GetOutputPort(), "zone", -1.5, -0.5)
for r, name in enumerate(strings("region names")):
    half = vtk.vtkExtractGeometry()
    half.SetInputConnection(threshold(cells, "region", r - 0.5, r + 0.5))
    half.SetImplicitFunction(plane)
    half.ExtractInsideOff()
    half.ExtractBoundaryCellsOn()
    filters.append(half)
    show(half.GetOutputPort(), REGIONS[r % len(REGIONS)])
    entries.append(("region " + name, REGIONS[r % len(REGIONS)]))
for k, name in enumerate(a.zones):
    z = strings("zone names").index(name)
    show(threshold(reader.GetOutputPort(), "zone", z - 0.5, z + 0.5), ZONES[k % len(ZONES)], 1)
    entries.append(("zone " + name, ZONES[k % len(ZONES)]))

for i, (name, colour) in enumerate(reversed(entries)):
    label = vtk.vtkTextActor()
    label.SetInput(" " + name + " ")
    label.SetPosition(24, 20 + 30 * i)
    text = label.GetTextProperty()
    text.SetFontSize(18)
    text.SetColor(0.05, 0.06, 0.08) if sum(colour) > 1.7 else text.SetColor(1, 1, 1)
    text.SetBackgroundColor(*colour)
    text.SetBackgroundOpacity(1)
    renderer.AddActor2D(label)

window = vtk.vtkRenderWindow()
window.SetOffScreenRendering(1)
window.SetMultiSamples(8)
window.SetSize(1280, 800)
window.AddRenderer(renderer)
camera = renderer.GetActiveCamera()
camera.SetFocalPoint(*a.look)
camera.SetPosition(*a.eye)
camera.SetViewUp(0, 0, 1)
camera.SetViewAngle(a.angle)
renderer.ResetCameraClippingRange()
window.Render()
grab = vtk.vtkWindowToImageFilter()
grab.SetInput(window)
grab.ReadFrontBufferOff()
writer = vtk.vtkPNGWriter()
writer.SetFileName(a.picture)
writer.SetInputConnection(grab.GetOutputPort())
writer.Write()

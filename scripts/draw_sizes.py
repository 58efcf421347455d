#!/usr/bin/python3
"""Draws a surface mesh (the surface.vtu of `anvilcast build --until surface`) coloured by the size of its triangles.

    draw_sizes.py surface.vtu picture.png --plane x y z nx ny nz --look x y z --from x y z [--angle degrees] [--unit mm]

Triangles on the far side of the plane, as its normal points, are left out. Needs Debian's python3-vtk9; no display.
For the pictures in docs/screenshots.
"""
import argparse
import math
import vtk

METRES = {"m": 1, "cm": 0.01, "mm": 0.001}
parser = argparse.ArgumentParser()
parser.add_argument("surface")
parser.add_argument("picture")
parser.add_argument("--plane", type=float, nargs=6, required=True)
parser.add_argument("--look", type=float, nargs=3, required=True)
parser.add_argument("--from", type=float, nargs=3, required=True, dest="eye")
parser.add_argument("--angle", type=float, default=26)
parser.add_argument("--unit", choices=METRES, default="mm")
a = parser.parse_args()
unit = METRES[a.unit]

reader = vtk.vtkXMLUnstructuredGridReader()
reader.SetFileName(a.surface)
reader.Update()
grid = reader.GetOutput()

# The edge of a regular triangle of the same area.
size, kept = vtk.vtkDoubleArray(), vtk.vtkIdList()
for i in range(grid.GetNumberOfCells()):
    p = [grid.GetCell(i).GetPoints().GetPoint(k) for k in range(3)]
    size.InsertNextValue(math.sqrt(vtk.vtkTriangle.TriangleArea(*p) * 4 / math.sqrt(3)) / unit)
    middle = [sum(q[k] for q in p) / 3 / unit for k in range(3)]
    if sum((middle[k] - a.plane[k]) * a.plane[3 + k] for k in range(3)) <= 0:
        kept.InsertNextId(i)
grid.GetCellData().SetScalars(size)
extract = vtk.vtkExtractCells()
extract.SetInputData(grid)
extract.SetCellList(kept)
skin = vtk.vtkDataSetSurfaceFilter()
skin.SetInputConnection(extract.GetOutputPort())

low, high = size.GetRange()
colours = vtk.vtkLookupTable()
colours.SetNumberOfTableValues(256)
for i in range(256):
    # From dark blue over teal to pale sand: told apart by lightness alone.
    t = i / 255
    colours.SetTableValue(i, 0.10 + 0.86 * t ** 1.3, 0.22 + 0.68 * t, 0.42 + 0.35 * t - 0.15 * t * t)
colours.SetScaleToLog10()
colours.SetTableRange(low, high)

mapper = vtk.vtkPolyDataMapper()
mapper.SetInputConnection(skin.GetOutputPort())
mapper.SetLookupTable(colours)
mapper.UseLookupTableScalarRangeOn()
actor = vtk.vtkActor()
actor.SetMapper(mapper)
p = actor.GetProperty()
p.EdgeVisibilityOn()
p.SetEdgeColor(0.05, 0.08, 0.12)
p.SetLineWidth(0.6)
p.SetAmbient(0.78)
p.SetDiffuse(0.28)

bar = vtk.vtkScalarBarActor()
bar.SetLookupTable(colours)
bar.SetTitle(f"edge, {a.unit}")
bar.SetNumberOfLabels(5)
bar.SetLabelFormat("%.3g")
bar.UnconstrainedFontSizeOn()
bar.SetVerticalTitleSeparation(12)
bar.SetWidth(0.07)
bar.SetHeight(0.45)
bar.SetPosition(0.90, 0.27)
for text in (bar.GetTitleTextProperty(), bar.GetLabelTextProperty()):
    text.SetColor(0.1, 0.1, 0.1)
    text.SetBold(False)
    text.SetItalic(False)
    text.ShadowOff()
    text.SetFontSize(16)

renderer = vtk.vtkRenderer()
renderer.SetBackground(1, 1, 1)
renderer.AddActor(actor)
renderer.AddActor2D(bar)
camera = renderer.GetActiveCamera()
camera.SetFocalPoint(*[v * unit for v in a.look])
camera.SetPosition(*[v * unit for v in a.eye])
camera.SetViewUp(0, 0, 1)
camera.SetViewAngle(a.angle)
renderer.ResetCameraClippingRange()
window = vtk.vtkRenderWindow()
window.SetOffScreenRendering(1)
window.SetMultiSamples(8)
window.SetSize(1280, 800)
window.AddRenderer(renderer)
window.Render()
grab = vtk.vtkWindowToImageFilter()
grab.SetInput(window)
writer = vtk.vtkPNGWriter()
writer.SetFileName(a.picture)
writer.SetInputConnection(grab.GetOutputPort())
writer.Write()

#!/usr/bin/python3
"""Draws a mesh (VTU) as a picture: the cells cut open by a plane, tetrahedra coloured by how far they are from
regular.

    draw_cut.py mesh.vtu picture.png [x y z nx ny nz]

Needs Debian's python3-vtk9; no display. For the pictures in docs/screenshots.
"""
import math
import sys
import vtk

mesh, picture = sys.argv[1], sys.argv[2]
numbers = [float(v) for v in sys.argv[3:9]] or [0, 0.0001, 0, 0, 1, 0]

reader = vtk.vtkXMLUnstructuredGridReader()
reader.SetFileName(mesh)
reader.Update()

cells = vtk.vtkThreshold()  # volume cells have zone -1
cells.SetInputConnection(reader.GetOutputPort())
cells.SetInputArrayToProcess(0, 0, 0, vtk.vtkDataObject.FIELD_ASSOCIATION_CELLS, "zone")
cells.SetLowerThreshold(-1.5)
cells.SetUpperThreshold(-0.5)
cells.SetThresholdFunction(vtk.vtkThreshold.THRESHOLD_BETWEEN)

quality = vtk.vtkMeshQuality()
quality.SetInputConnection(cells.GetOutputPort())
quality.SetTetQualityMeasureToMinAngle()

quality.Update()
grid = quality.GetOutput()  # layers have another colour: the angle between a prism's sides says little
values = grid.GetCellData().GetArray("Quality")
for c in range(grid.GetNumberOfCells()):
    if grid.GetCellType(c) != vtk.VTK_TETRA:
        values.SetValue(c, math.nan)

plane = vtk.vtkPlane()
plane.SetOrigin(numbers[0:3])
plane.SetNormal(numbers[3:6])
half = vtk.vtkExtractGeometry()  # whole cells, as they are
half.SetInputData(grid)
half.SetImplicitFunction(plane)
half.ExtractInsideOff()
half.ExtractBoundaryCellsOn()

colours = vtk.vtkLookupTable()
stops = [(0.55, 0.16, 0.10), (0.90, 0.60, 0.25), (0.93, 0.90, 0.80), (0.62, 0.78, 0.80), (0.16, 0.42, 0.50)]
colours.SetNumberOfTableValues(64)
for i in range(64):
    t = i / 63 * (len(stops) - 1)
    k = min(int(t), len(stops) - 2)
    rgb = [a + (b - a) * (t - k) for a, b in zip(stops[k], stops[k + 1])]
    colours.SetTableValue(i, *rgb, 1)
colours.SetRange(20, 70)
colours.SetNanColor(0.55, 0.52, 0.62, 1)

skin = vtk.vtkDataSetSurfaceFilter()
skin.SetInputConnection(half.GetOutputPort())
mapper = vtk.vtkPolyDataMapper()
mapper.SetInputConnection(skin.GetOutputPort())
mapper.SetScalarModeToUseCellFieldData()
mapper.SelectColorArray("Quality")
mapper.SetLookupTable(colours)
mapper.SetScalarRange(20, 70)
actor = vtk.vtkActor()
actor.SetMapper(mapper)
actor.GetProperty().EdgeVisibilityOn()
actor.GetProperty().SetEdgeColor(0.13, 0.17, 0.20)
actor.GetProperty().SetLineWidth(1)
actor.GetProperty().SetAmbient(0.35)
actor.GetProperty().SetDiffuse(0.7)

bar = vtk.vtkScalarBarActor()
bar.SetLookupTable(colours)
bar.SetTitle("smallest dihedral angle, degrees (layers violet)")
bar.SetNumberOfLabels(6)
bar.SetLabelFormat("%.0f")
bar.SetOrientationToHorizontal()
bar.SetPosition(0.03, 0.03)
bar.SetWidth(0.34)
bar.SetHeight(0.09)
bar.SetVerticalTitleSeparation(8)
bar.SetTextPositionToPrecedeScalarBar()
bar.UnconstrainedFontSizeOn()
for text, size in ((bar.GetTitleTextProperty(), 18), (bar.GetLabelTextProperty(), 16)):
    text.SetColor(0.1, 0.12, 0.15)
    text.SetFontSize(size)
    text.SetBold(0)
    text.SetItalic(0)
    text.SetShadow(0)

renderer = vtk.vtkRenderer()
renderer.SetBackground(1, 1, 1)
renderer.AddActor(actor)
renderer.AddActor2D(bar)
window = vtk.vtkRenderWindow()
window.SetOffScreenRendering(1)
window.SetMultiSamples(8)
window.SetSize(1280, 800)
window.AddRenderer(renderer)
camera = renderer.GetActiveCamera()
camera.SetFocalPoint(0.06, 0, 0.31)
camera.SetPosition(0.34, -1.35, 0.62)
camera.SetViewUp(0, 0, 1)
camera.SetViewAngle(26)
renderer.ResetCameraClippingRange()
window.Render()
grab = vtk.vtkWindowToImageFilter()
grab.SetInput(window)
grab.ReadFrontBufferOff()
writer = vtk.vtkPNGWriter()
writer.SetFileName(picture)
writer.SetInputConnection(grab.GetOutputPort())
writer.Write()

#!/usr/bin/python3
"""Draws a section through a mesh (VTU) with its layers: cells as the plane cuts them, coloured by type.

    draw_stacks.py picture.png mesh.vtu ox oy oz  nx ny nz  ux uy uz  width  [mesh.vtu ... up to four panels]

The section passes through (ox, oy, oz), which is in the middle of the picture, seen against the normal n with u upwards;
`width` is what the picture shows, in metres. Needs Debian's python3-vtk9; no display.
"""
import sys
import vtk

COLOURS = {10: (0.95, 0.93, 0.86), 14: (0.85, 0.55, 0.20), 13: (0.45, 0.66, 0.76), 12: (0.20, 0.42, 0.55)}


def section(file, origin, normal):
    reader = vtk.vtkXMLUnstructuredGridReader()
    reader.SetFileName(file)
    reader.Update()
    grid = reader.GetOutput()
    kinds = vtk.vtkUnsignedCharArray()
    kinds.SetName("colour")
    kinds.SetNumberOfComponents(3)
    for c in range(grid.GetNumberOfCells()):
        kinds.InsertNextTuple3(*[255 * v for v in COLOURS.get(grid.GetCellType(c), (0.5, 0.5, 0.5))])
    grid.GetCellData().AddArray(kinds)
    cells = vtk.vtkThreshold()  # volume cells have zone -1
    cells.SetInputData(grid)
    cells.SetInputArrayToProcess(0, 0, 0, vtk.vtkDataObject.FIELD_ASSOCIATION_CELLS, "zone")
    cells.SetLowerThreshold(-1.5)
    cells.SetUpperThreshold(-0.5)
    cells.SetThresholdFunction(vtk.vtkThreshold.THRESHOLD_BETWEEN)
    plane = vtk.vtkPlane()
    plane.SetOrigin(origin)
    plane.SetNormal(normal)
    cutter = vtk.vtkCutter()
    cutter.SetInputConnection(cells.GetOutputPort())
    cutter.SetCutFunction(plane)
    cutter.GenerateTrianglesOff()
    mapper = vtk.vtkPolyDataMapper()
    mapper.SetInputConnection(cutter.GetOutputPort())
    mapper.SetScalarModeToUseCellFieldData()
    mapper.SelectColorArray("colour")
    mapper.SetColorModeToDirectScalars()
    actor = vtk.vtkActor()
    actor.SetMapper(mapper)
    actor.GetProperty().LightingOff()
    actor.GetProperty().EdgeVisibilityOn()
    actor.GetProperty().SetEdgeColor(0.15, 0.17, 0.2)
    actor.GetProperty().SetLineWidth(1)
    return actor


picture, arguments = sys.argv[1], sys.argv[2:]
panels = [arguments[k : k + 11] for k in range(0, len(arguments), 11)]
window = vtk.vtkRenderWindow()
window.SetOffScreenRendering(1)
window.SetSize(1280, 800)
window.SetMultiSamples(8)
columns = 1 if len(panels) == 1 else 2
rows = (len(panels) + columns - 1) // columns
for k, panel in enumerate(panels):
    origin, normal, up, width = ([float(v) for v in panel[a:b]] for a, b in ((1, 4), (4, 7), (7, 10), (10, 11)))
    renderer = vtk.vtkRenderer()
    renderer.SetBackground(0.985, 0.98, 0.97)
    x, y = k % columns, rows - 1 - k // columns
    gap = 0.004
    renderer.SetViewport(x / columns + gap, y / rows + gap, (x + 1) / columns - gap, (y + 1) / rows - gap)
    renderer.AddActor(section(panel[0], origin, normal))
    camera = renderer.GetActiveCamera()
    camera.ParallelProjectionOn()
    camera.SetFocalPoint(origin)
    camera.SetPosition([o + n for o, n in zip(origin, normal)])
    camera.SetViewUp(up)
    camera.SetParallelScale(0.5 * width[0] * 800 / rows / (1280 / columns))
    renderer.ResetCameraClippingRange()
    window.AddRenderer(renderer)
window.Render()
shot = vtk.vtkWindowToImageFilter()
shot.SetInput(window)
writer = vtk.vtkPNGWriter()
writer.SetFileName(picture)
writer.SetInputConnection(shot.GetOutputPort())
writer.Write()

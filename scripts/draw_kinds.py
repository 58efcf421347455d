#!/usr/bin/python3
"""Draws two meshes (VTU) of one geometry side by side: whole cells cut open by a plane, coloured by their size, and a
close-up of each below.

    draw_kinds.py tetrahedra.vtu polyhedra.vtu picture.png [x y z nx ny nz] [close-up: x y z width]

Needs Debian's python3-vtk9; no display. For the pictures in docs/screenshots.
"""
import sys
import vtk

meshes, picture = sys.argv[1:3], sys.argv[3]
numbers = [float(v) for v in sys.argv[4:]]
plane_at = numbers[0:6] or [0, 0.0001, 0, 0, 1, 0]
close_up = numbers[6:10] or [-0.082, 0, 0.36, 0.05]


def opened(mesh):
    """The cells on one side of the plane, and those that it cuts, with their sizes in millimetres."""
    reader = vtk.vtkXMLUnstructuredGridReader()
    reader.SetFileName(mesh)
    cells = vtk.vtkThreshold()  # volume cells have zone -1
    cells.SetInputConnection(reader.GetOutputPort())
    cells.SetInputArrayToProcess(0, 0, 0, vtk.vtkDataObject.FIELD_ASSOCIATION_CELLS, "zone")
    cells.SetLowerThreshold(-1.5)
    cells.SetUpperThreshold(-0.5)
    cells.SetThresholdFunction(vtk.vtkThreshold.THRESHOLD_BETWEEN)
    plane = vtk.vtkPlane()
    plane.SetOrigin(plane_at[0:3])
    plane.SetNormal(plane_at[3:6])
    half = vtk.vtkExtractGeometry()
    half.SetInputConnection(cells.GetOutputPort())
    half.SetImplicitFunction(plane)
    half.ExtractInsideOff()
    half.ExtractBoundaryCellsOn()
    half.Update()
    grid = vtk.vtkUnstructuredGrid()
    grid.ShallowCopy(half.GetOutput())
    size = vtk.vtkDoubleArray()
    size.SetName("size")
    for c in range(grid.GetNumberOfCells()):
        size.InsertNextValue(1000 * volume_of(grid.GetCell(c)) ** (1 / 3))
    grid.GetCellData().AddArray(size)
    skin = vtk.vtkDataSetSurfaceFilter()
    skin.SetInputData(grid)
    skin.Update()
    return skin.GetOutput()


def volume_of(cell):
    """By the divergence theorem over the faces, each as triangles round its middle."""
    total = 0.0
    for f in range(cell.GetNumberOfFaces()):
        points = cell.GetFace(f).GetPoints()
        p = [points.GetPoint(k) for k in range(points.GetNumberOfPoints())]
        o = [sum(q[a] for q in p) / len(p) for a in range(3)]
        for a, b in zip(p, p[1:] + p[:1]):
            total += (o[0] * (a[1] * b[2] - a[2] * b[1]) + o[1] * (a[2] * b[0] - a[0] * b[2])
                      + o[2] * (a[0] * b[1] - a[1] * b[0])) / 6
    return abs(total)


colours = vtk.vtkLookupTable()
stops = [(0.36, 0.30, 0.55), (0.25, 0.55, 0.62), (0.82, 0.86, 0.70), (0.90, 0.64, 0.32)]
colours.SetNumberOfTableValues(64)
for i in range(64):
    t = i / 63 * (len(stops) - 1)
    k = min(int(t), len(stops) - 2)
    colours.SetTableValue(i, *[a + (b - a) * (t - k) for a, b in zip(stops[k], stops[k + 1])], 1)
colours.SetRange(1, 10)

window = vtk.vtkRenderWindow()
window.SetOffScreenRendering(1)
window.SetMultiSamples(8)
window.SetSize(1280, 800)
paper = vtk.vtkRenderer()
paper.SetBackground(1, 1, 1)
window.AddRenderer(paper)
for i, (mesh, name) in enumerate(zip(meshes, ("tetrahedra and prisms", "polyhedra"))):
    skin = opened(mesh)
    for near in (False, True):
        mapper = vtk.vtkPolyDataMapper()
        mapper.SetInputData(skin)
        mapper.SetScalarModeToUseCellFieldData()
        mapper.SelectColorArray("size")
        mapper.SetLookupTable(colours)
        mapper.SetScalarRange(1, 10)
        actor = vtk.vtkActor()
        actor.SetMapper(mapper)
        actor.GetProperty().EdgeVisibilityOn()
        actor.GetProperty().SetEdgeColor(0.13, 0.17, 0.20)
        actor.GetProperty().SetLineWidth(1)
        actor.GetProperty().SetAmbient(0.4)
        actor.GetProperty().SetDiffuse(0.65)
        renderer = vtk.vtkRenderer()
        renderer.SetBackground(1, 1, 1)
        renderer.AddActor(actor)
        left = 0.5 * i + (0.19 if near else 0)
        renderer.SetViewport(left, 0.08, left + (0.30 if near else 0.19), 0.93)
        window.AddRenderer(renderer)
        camera = renderer.GetActiveCamera()
        camera.ParallelProjectionOn()
        middle = close_up[0:3] if near else [0, 0, 0.31]
        camera.SetFocalPoint(middle)
        camera.SetPosition(middle[0], middle[1] - 1, middle[2])
        camera.SetViewUp(0, 0, 1)
        camera.SetParallelScale(close_up[3] if near else 0.33)
        renderer.ResetCameraClippingRange()
        if near:
            title = vtk.vtkTextActor()
            title.SetInput(name)
            title.GetTextProperty().SetColor(0.1, 0.12, 0.15)
            title.GetTextProperty().SetFontSize(20)
            title.GetTextProperty().SetJustificationToLeft()
            title.SetPosition(640 * i + 40, 756)
            over = vtk.vtkRenderer()
            over.SetLayer(1)
            over.InteractiveOff()
            over.AddActor2D(title)
            window.SetNumberOfLayers(2)
            window.AddRenderer(over)

bar = vtk.vtkScalarBarActor()
bar.SetLookupTable(colours)
bar.SetTitle("cell size (cube root of volume), mm")
bar.SetNumberOfLabels(10)
bar.SetLabelFormat("%.0f")
bar.SetOrientationToHorizontal()
bar.SetPosition(0.33, 0.005)
bar.SetWidth(0.34)
bar.SetHeight(0.075)
bar.SetTextPositionToPrecedeScalarBar()
bar.UnconstrainedFontSizeOn()
for text, size in ((bar.GetTitleTextProperty(), 16), (bar.GetLabelTextProperty(), 14)):
    text.SetColor(0.1, 0.12, 0.15)
    text.SetFontSize(size)
    text.SetBold(0)
    text.SetItalic(0)
    text.SetShadow(0)
legend = vtk.vtkRenderer()
legend.SetLayer(1)
legend.InteractiveOff()
legend.AddActor2D(bar)
window.AddRenderer(legend)

window.Render()
grab = vtk.vtkWindowToImageFilter()
grab.SetInput(window)
grab.ReadFrontBufferOff()
writer = vtk.vtkPNGWriter()
writer.SetFileName(picture)
writer.SetInputConnection(grab.GetOutputPort())
writer.Write()

// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Fetches what the viewport draws at a frame, on a thread of its own. Only the newest request counts.
#include <map>
#include <memory>
#include <optional>
#include <thread>
#include <vector>

#include <QObject>

#include "compare/reconcile.h"
#include "scene/components/camera.h"
#include "shell/workspace.h"
#include "view/newest.h"

namespace wyc::app {

enum class ViewStyle { Clay, ClayWires, SpeedHeat, OrderBands };

/// How two bodies that are compared stand in the view.
enum class Arrangement {
    BAlone,
    Beside,  // each in its half, seen by one eye
    Over,    // A over B
    Parted,  // A left of a line that is dragged, B right of it
    Differs, // of B what is farther off than the tolerance
};

/// An item that is laid against another: how far each of its points is off, and how the two are shown.
struct ViewComparison {
    ItemKey b;
    std::shared_ptr<const Scene> a;
    std::size_t nodeA = 0;
    double metresA = 1.0;
    std::shared_ptr<const Undone> undone;                   // B with what differs undone; null: as it came
    std::shared_ptr<const std::vector<std::uint32_t>> aOfB; // for each point of B; 0xFFFFFFFF: none
    double topMetres = 0.0;                                 // of the legend
    double toleranceMetres = 0.0;
    Arrangement arrangement = Arrangement::BAlone;
    bool heat = false;
    struct Worst {
        std::uint32_t point = 0; // of B as it is shown
        double frame = 0.0;
    };
    std::optional<Worst> worst;
    bool order = false; // both by their point numbers, and lines between points that went elsewhere
};

/// Triangles and edges of a topology as indices for drawing; made once and shared.
struct DrawIndices {
    std::vector<std::uint32_t> triangles;
    std::vector<std::uint32_t> edges;
};

/// What a body is in the picture.
enum class DrawRole {
    Plain,
    Held,  // a held pose, translucent
    Skin,  // a pose before or after the one that is shown
    Other, // A of a comparison
    Ghost, // what is left out of a picture of differences
};

/// One item at a frame: everything in world metres.
struct DrawItem {
    ItemKey key;
    bool active = false;
    DrawRole role = DrawRole::Plain;
    int copy = 0; // of several bodies of one item in one role; of skins how many steps before (−) or after
    bool visible = true;
    std::vector<Vec3f> points;
    std::vector<Vec3f> normals;         // empty for points and where faces do not fit
    std::vector<Vec3f> colours;         // empty = clay
    std::vector<float> widths;          // of points, in metres; empty = a fixed size
    std::vector<std::uint32_t> numbers; // of the item's points that these stand for; empty = their own
    bool lines = false;                 // edges are the shape: curves, cameras
    std::shared_ptr<const DrawIndices> indices;
    Bounds bounds;
};

/// What a camera sees at a frame, with the way from world metres to its own space.
struct DrawCamera {
    std::string name;
    CameraView view;
    Mat4 world; // camera to world, in metres
};

/// Two bodies laid against one another.
struct DrawComparison {
    Arrangement arrangement = Arrangement::BAlone;
    std::string nameA;
    Bounds boundsA;
    std::optional<double> ownFrameOfB; // where undoing puts it at another time: the frame of its own that is shown
    /// Where a point number is in A and where in B; a choice of them where there are many.
    std::vector<std::pair<Vec3f, Vec3f>> elsewhere;
    std::size_t elsewhereCount = 0;
    std::optional<Vec3f> worst; // at its frame
    std::vector<Vec3f> unmatchedA;
    std::vector<Vec3f> unmatchedB;
    std::size_t apart = 0; // points of B that are farther off than the tolerance, or have none in A
    std::size_t points = 0;
    [[nodiscard]] bool showsA() const {
        return arrangement != Arrangement::BAlone && arrangement != Arrangement::Differs;
    }
};

struct DrawFrame {
    int request = 0;
    double frame = 0.0;
    ViewStyle style = ViewStyle::ClayWires;
    float speedMax = 0.0F; // of the heat legend, m/s
    float driftMax = 0.0F; // of the legend of drift, metres
    std::optional<DrawComparison> compared;
    std::vector<DrawItem> items;
    std::optional<DrawCamera> camera;
    QString error;
};

struct DrawRequest {
    struct Item {
        ItemKey key;
        std::shared_ptr<const Scene> scene;
        std::size_t node = 0;
        double metresPerUnit = 1.0;
        bool active = false;
        std::shared_ptr<const MotionProfile> profile;
    };
    int number = 0;
    double frame = 0.0;
    FrameRate rate; // of that frame; items count their own
    ViewStyle style = ViewStyle::ClayWires;
    std::optional<double> heldFrame; // of the active item
    double skinStep = 0.0;           // frames between poses of the active item before and after; 0: none are shown
    std::optional<ViewComparison> comparison;
    std::vector<Item> items;
    std::optional<Item> ghost;  // what a mend would make of one of them
    std::optional<Item> camera; // to be looked through
};

class FrameLoader : public QObject {
    Q_OBJECT
  public:
    explicit FrameLoader(QObject* parent = nullptr);
    ~FrameLoader() override;
    /// Replaces a request that has not begun.
    void request(DrawRequest request);

  signals:
    void loaded(const std::shared_ptr<const wyc::app::DrawFrame>& frame);

  private:
    void loop();
    [[nodiscard]] std::shared_ptr<const DrawFrame> load(const DrawRequest& request);
    [[nodiscard]] Result<DrawItem> loadItem(const DrawRequest::Item& item, double seconds, ViewStyle style,
                                            float& speedMax);
    /// B, laid against A, and A where it is shown.
    Status loadCompared(const ViewComparison& comparison, const DrawRequest::Item& b, const DrawRequest& request,
                        DrawFrame& frame);
    [[nodiscard]] std::shared_ptr<const DrawIndices> indicesOf(const Topology& topology, std::size_t pointCount);
    Newest<DrawRequest> next_;
    std::map<std::uint64_t, std::shared_ptr<const DrawIndices>> indices_; // worker thread only
    std::thread thread_;
};

} // namespace wyc::app
Q_DECLARE_METATYPE(std::shared_ptr<const wyc::app::DrawFrame>)

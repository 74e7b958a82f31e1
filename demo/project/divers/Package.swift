// swift-tools-version:5.9
import PackageDescription

let package = Package(
    name: "divers",
    dependencies: [
        .package(url: "https://example.org/tidewire/tidewire.git", from: "2.4.0"),
        .package(url: "https://example.org/harbour/rail.git", exact: "1.3.0"),
    ],
    targets: [
        .executableTarget(
            name: "Divers",
            dependencies: [.product(name: "Tidewire", package: "tidewire")]
        )
    ]
)

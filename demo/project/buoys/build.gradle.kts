plugins {
    java
    id("org.tidewire.gauges") version "2.4.0"
}

dependencies {
    implementation(libs.tidewire)
    testImplementation("org.tidewire:tidewire-core:2.4.1")
    implementation("org.tidewire-contrib:tidewire-core:2.4.1") // not ours to raise
}

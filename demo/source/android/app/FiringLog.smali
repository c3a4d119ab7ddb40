.class public Lorg/example/terrafuoco/FiringLog;
.super Landroid/app/Activity;
.source "FiringLog.java"

.method public constructor <init>()V
    .registers 1
    invoke-direct {p0}, Landroid/app/Activity;-><init>()V
    return-void
.end method

.method public native cone(I)I
.end method

.method public static constructor <clinit>()V
    .registers 1
    const-string v0, "kilnmath"
    invoke-static {v0}, Ljava/lang/System;->loadLibrary(Ljava/lang/String;)V
    return-void
.end method
